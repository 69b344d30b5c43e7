import styled from 'styled-components';
import { api, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { Small } from '../../ui/layout';
import { color, corner, hair, part, size, space } from '../../ui/tokens';

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

/** How much room is left on each day of a month, for one clinician and for all. */
export function Month({ day, clinician, onDay }: { day: string; clinician: string; onDay: (day: string) => void }) {
  const { clinic } = useSession();
  const lastName = clinic.staff.find((s) => s.id === clinician)?.lastName ?? '';
  const look = useLook(['schedule', 'month', day.slice(0, 7)], () =>
    api.GET('/api/schedule/month', { params: { query: { day } } }),
  );
  const first = new Date(`${day.slice(0, 7)}-01T12:00:00Z`);
  const length = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0)).getUTCDate();
  const blank = (first.getUTCDay() + 6) % 7;
  return (
    <Days>
      {['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'].map((name) => (
        <Small key={name}>{name}</Small>
      ))}
      {Array.from({ length: blank }, (_, n) => (
        <span key={`blank-${n}`} />
      ))}
      {Array.from({ length }, (_, n) => {
        const date = `${day.slice(0, 7)}-${String(n + 1).padStart(2, '0')}`;
        const rows = look.data?.filter((r) => r.day === date) ?? [];
        const own = rows.find((r) => r.clinicianId === clinician);
        const open = rows.reduce((sum, r) => sum + r.open, 0);
        const slots = rows.reduce((sum, r) => sum + r.slots, 0);
        return (
          <Cell
            key={date}
            type="button"
            disabled={slots === 0}
            data-today={date === clinic.today}
            data-room={date}
            onClick={() => onDay(date)}
          >
            <b>{n + 1}</b>
            {slots > 0 && (
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
            {slots === 0 && <Small>{date < clinic.today ? 'past' : 'nobody works'}</Small>}
          </Cell>
        );
      })}
    </Days>
  );
}
