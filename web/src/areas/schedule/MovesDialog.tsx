/** Every time that a visit had, the latest first: from when and whom, to when and whom, why and by whose hand. */

import { type Schemas, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Dialog } from '../../ui/Dialog';
import { Empty, Mono, Scroller, Small, Table } from '../../ui/layout';
import { movesOf } from './queries';

export function MovesDialog({ visit, onClose }: { visit: Schemas['Visit']; onClose: () => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const look = useLook(movesOf(visit.id));
  const when = (at: string, who: string) => (
    <>
      <Mono>
        {times.full(at)} {times.time(at)}
      </Mono>{' '}
      <Small>{clinic.staff.find((s) => s.id === who)?.lastName}</Small>
    </>
  );
  return (
    <Dialog light title="Every time it had" open onClose={onClose} wide>
      {look.data?.length === 0 && <Empty>The visit still has the time at which it was booked.</Empty>}
      {(look.data?.length ?? 0) > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>From</th>
                <th>To</th>
                <th>Why</th>
                <th>By</th>
              </tr>
            </thead>
            <tbody>
              {look.data?.map((m) => (
                <tr key={m.id} data-move>
                  <td>{when(m.fromStartsAt, m.fromClinicianId)}</td>
                  <td>{when(m.toStartsAt, m.toClinicianId)}</td>
                  <td>{m.reason}</td>
                  <td>
                    <Small>
                      {m.by}, {times.full(m.at)} {times.time(m.at)}
                    </Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
    </Dialog>
  );
}
