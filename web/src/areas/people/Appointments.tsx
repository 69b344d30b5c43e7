import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Schemas } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Row, Scroller, Sheet, Small, Spread, Table, Tag } from '../../ui/layout';
import { Limits } from './Limits';
import { Unbooked } from '../arrival/Unbooked';
import { CompactLine } from '../../ui/VisitLine';

type Card = Schemas['VisitCard'];

const ended: Record<string, string> = {
  cancelled: 'cancelled',
  did_not_come: 'did not come',
  left_unseen: 'left without being seen',
};

/** A person's appointments: what is to come, what was, and what did not come about, with the reasons. */
export function Appointments(p: { list: Card[]; person: Schemas['PersonCard']; missed: string }) {
  const { list, person } = p;
  const { now } = useSession();
  const may = useMay();
  const [unbooked, setUnbooked] = useState(false);
  const [all, setAll] = useState(false);
  const missed = list.filter((v) => v.visit.stage in ended);
  const live = list.filter((v) => !(v.visit.stage in ended));
  const coming = live.filter((v) => v.visit.stage === 'booked' && new Date(v.visit.endsAt) > now).reverse();
  const past = live.filter((v) => !coming.includes(v));
  return (
    <Sheet>
      <Row>
        <h2>Appointments</h2>
        {p.missed && (
          <Small data-missed>
            <b>{p.missed}</b>
          </Small>
        )}
        <Spread />
        {may('book') && (
          <Button $kind="quiet" onPress={() => setUnbooked(true)}>
            Without an appointment
          </Button>
        )}
        {coming.length > 0 && (
          <Button onPress={() => window.open(`/api/people/${person.id}/slip`, '_blank')}>Print the slip</Button>
        )}
      </Row>
      <Limits personId={person.id} />
      {unbooked && <Unbooked person={person} onClose={() => setUnbooked(false)} />}
      {list.length === 0 && <Empty>No visit yet. Book one from the schedule or from open times.</Empty>}
      <Group title="To come" list={coming} />
      <Group title="Past" list={all ? past : past.slice(0, 6)} />
      {past.length > 6 && (
        <Row>
          <Button $kind="quiet" onPress={() => setAll(!all)} aria-expanded={all}>
            {all ? 'Show fewer' : `All ${past.length} past visits`}
          </Button>
        </Row>
      )}
      <Group title="Cancelled, or did not come" list={missed} />
    </Sheet>
  );
}

function Group({ title, list }: { title: string; list: Card[] }) {
  const { clinic, now, setInHand } = useSession();
  const times = useTimes();
  const navigate = useNavigate();
  const may = useMay();
  if (list.length === 0) return null;
  return (
    <>
      <h3>
        {title} <Small>{list.length}</Small>
      </h3>
      <Scroller>
        <Table>
          <tbody>
            {list.map(({ visit, line }) => (
              <tr key={visit.id} data-appointment={visit.stage}>
                <td>
                  <Mono>
                    {times.full(visit.startsAt)} {times.time(visit.startsAt)}
                  </Mono>
                </td>
                <td>
                  {visit.reason} {!visit.appointment && <Small>no appointment</Small>}
                </td>
                <td className="wide">{clinic.staff.find((s) => s.id === visit.clinicianId)?.name}</td>
                <td>
                  {visit.stage in ended ? (
                    <Small>
                      {ended[visit.stage]}
                      {visit.cancelledBy && ` by the ${visit.cancelledBy}`}
                      {visit.cancelReason && `: ${visit.cancelReason}`}
                    </Small>
                  ) : visit.rebook ? (
                    <Tag $tone="brass">needs a new time</Tag>
                  ) : (
                    <CompactLine line={line} />
                  )}
                </td>
                <td className="wide">
                  {visit.stage === 'booked' && new Date(visit.startsAt) > now && (
                    <a
                      href={`/api/visits/${visit.id}/calendar`}
                      aria-label={`Calendar file of ${times.full(visit.startsAt)}`}
                    >
                      <Small>calendar</Small>
                    </a>
                  )}
                </td>
                <td>
                  <Button
                    aria-label={`Open ${times.full(visit.startsAt)}`}
                    onPress={() => {
                      setInHand({ visit: visit.id });
                      navigate(`/visits/${visit.id}/${may('see_chart') ? 'note' : 'check-in'}`);
                    }}
                  >
                    Open
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
    </>
  );
}
