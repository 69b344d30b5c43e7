import styled from 'styled-components';
import { useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { weekdays } from '../../ui/choices';
import { Small } from '../../ui/layout';
import { color, corner, hair, part, size, space } from '../../ui/tokens';
import { month as monthQuery } from './queries';

const Days = styled.div`
  display: grid;
  grid-template-columns: repeat(7, 1fr);
  gap: ${space(1)};
  padding: 0 ${space(5)} ${space(6)};
  overflow: auto;
`;

const Cell = styled.button`
  display: flex;
  flex-direction: column;
  gap: ${space(1)};
  min-height: ${part.dayCell};
  padding: ${space(2)};
  text-align: left;
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: pointer;
  b {
    font-size: ${size.head};
  }
  &:disabled {
    background: ${color.well};
    color: ${color.quiet};
    cursor: default;
  }
  &[data-today='true'] {
    border-color: ${color.indigo};
  }
  /* What has been needs less room than what is to come. */
  &[data-past='true'] {
    min-height: ${part.pastCell};
    background: ${color.well};
    color: ${color.quiet};
  }
`;

const Meter = styled.div`
  height: ${space(1.5)};
  border-radius: ${space(1)};
  background: ${color.well};
  > i {
    display: block;
    height: 100%;
    border-radius: inherit;
    background: ${color.kelp};
  }
`;

const dayLength = 24 * 60 * 60 * 1000;

/** How much room is left on each day of a month, in whole weeks, for one clinician and for all; and who came. */
export function Month({ day, clinician, onDay }: { day: string; clinician: string; onDay: (day: string) => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const lastName = clinic.staff.find((s) => s.id === clinician)?.lastName ?? '';
  const look = useLook(monthQuery(day));
  const month = day.slice(0, 7);
  const first = new Date(`${month}-01T12:00:00Z`);
  const last = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0, 12));
  const monday = first.getTime() - ((first.getUTCDay() + 6) % 7) * dayLength;
  const weeks = Math.ceil((last.getTime() - monday + dayLength) / (7 * dayLength));
  const dates = Array.from({ length: weeks * 7 }, (_, n) =>
    new Date(monday + n * dayLength).toISOString().slice(0, 10),
  );
  return (
    <Days>
      {weekdays.map((name) => (
        <Small key={name}>{name}</Small>
      ))}
      {dates.map((date) => {
        const rows = look.data?.filter((r) => r.day === date) ?? [];
        const own = rows.find((r) => r.clinicianId === clinician);
        const sum = (of: 'open' | 'slots' | 'visits') => rows.reduce((all, r) => all + r[of], 0);
        const [open, slots, visits] = [sum('open'), sum('slots'), sum('visits')];
        const past = date < clinic.today;
        return (
          <Cell
            key={date}
            type="button"
            disabled={slots === 0 && visits === 0}
            data-today={date === clinic.today}
            data-past={past}
            data-room={date}
            onClick={() => onDay(date)}
          >
            <b>
              {Number(date.slice(8))}{' '}
              {!date.startsWith(month) && <Small>{times.month(date).split(' ')[0]?.slice(0, 3)}</Small>}
            </b>
            {!past && slots > 0 && (
              <>
                <Meter aria-hidden>
                  <i style={{ width: `${(100 * open) / slots}%` }} />
                </Meter>
                <Small>
                  {open} of {slots} open
                </Small>
                {own && (
                  <Small>
                    {own.open} with {lastName}
                  </Small>
                )}
              </>
            )}
            {past && visits > 0 && (
              <Small>
                {visits} visits{own && own.visits > 0 && `, ${own.visits} with ${lastName}`}
              </Small>
            )}
            {slots === 0 && visits === 0 && <Small>{past ? 'nobody came' : 'nobody works'}</Small>}
          </Cell>
        );
      })}
    </Days>
  );
}
