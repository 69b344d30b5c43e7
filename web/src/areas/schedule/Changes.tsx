import { useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Dialog } from '../../ui/Dialog';
import { Empty, Mono, Scroller, Small, Table } from '../../ui/layout';
import { changesOf } from './queries';

/** What happened to the slots of a day, also to those that are not there any more. */
export function Changes({ day, onClose }: { day: string; onClose: () => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const look = useLook(changesOf(day));
  return (
    <Dialog title={`What changed on ${times.day(`${day}T17:00:00Z`)}`} open onClose={onClose} wide>
      {look.data?.length === 0 && (
        <Empty>Every slot of this day is as its template made it, and nobody was booked, moved or cancelled.</Empty>
      )}
      {(look.data?.length ?? 0) > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Slot</th>
                <th>Of</th>
                <th>What</th>
                <th />
                <th>When</th>
                <th>By</th>
              </tr>
            </thead>
            <tbody>
              {look.data?.map((e) => (
                <tr key={e.id} data-change={e.what}>
                  <td>
                    <Mono>
                      {times.time(e.startsAt)}–{times.time(e.endsAt)}
                    </Mono>
                  </td>
                  <td>{clinic.staff.find((s) => s.id === e.clinicianId)?.lastName}</td>
                  <td>{e.what}</td>
                  <td>
                    <Small>{e.detail}</Small>
                  </td>
                  <td>
                    {times.full(e.at)} {times.time(e.at)}
                  </td>
                  <td>{e.by}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
    </Dialog>
  );
}
