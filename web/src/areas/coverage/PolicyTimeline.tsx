import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { useSession } from '../../app/session';
import { plainDate } from '../../app/words';
import { color, hair, innerCorner, part, ringGap, size, space } from '../../ui/tokens';

type View = Schemas['CoverageView'];

const Lane = styled.div`
  display: grid;
  grid-template-columns: ${part.field} 1fr;
  align-items: center;
  font-size: ${size.small};
  color: ${color.quiet};
`;

const Track = styled.div`
  position: relative;
  height: ${space(6)};
  border-bottom: ${hair};
`;

const Bar = styled.div`
  position: absolute;
  top: ${space(1)};
  bottom: ${space(1)};
  overflow: hidden;
  white-space: nowrap;
  padding: 0 ${space(1.5)};
  border-radius: ${innerCorner};
  border-left: ${ringGap} solid ${color.indigo};
  background: ${color.selected};
  color: ${color.ink};
  &[data-counts='false'] {
    background: ${color.well};
    border-color: ${color.quiet};
  }
`;

const Today = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: ${ringGap} solid ${color.coral};
`;

export const rankWord: Record<string, string> = { P: 'First policy', S: 'Second policy', T: 'Third policy' };

/** Which policy held when: a lane for each rank, and today. */
export function PolicyTimeline({ views }: { views: View[] }) {
  const { now } = useSession();
  const day = (iso: string) => new Date(`${iso}T12:00:00Z`).getTime();
  const today = now.getTime();
  const from = Math.min(...views.map((v) => day(v.coverage.startsOn)), today);
  const to = today + (today - from) * 0.15 + 86_400_000;
  const at = (t: number) => `${Math.min(100, Math.max(0, ((t - from) / (to - from)) * 100))}%`;
  return (
    <div role="img" aria-label="Policies over time">
      {Object.keys(rankWord)
        .filter((rank) => views.some((v) => v.coverage.rank === rank))
        .map((rank) => (
          <Lane key={rank}>
            <span>{rankWord[rank]}</span>
            <Track>
              {views
                .filter((v) => v.coverage.rank === rank)
                .map((v) => {
                  const end = v.coverage.endsOn ? Math.min(day(v.coverage.endsOn), to) : to;
                  const left = at(day(v.coverage.startsOn));
                  return (
                    <Bar
                      key={v.coverage.id}
                      data-counts={v.countsToday}
                      style={{ left, width: `calc(${at(end)} - ${left})` }}
                      title={`${v.payer} ${v.coverage.subscriberNumber}`}
                    >
                      {v.payer}, from {plainDate(v.coverage.startsOn)}
                      {v.coverage.endsOn && ` to ${plainDate(v.coverage.endsOn)}`}
                    </Bar>
                  );
                })}
              <Today style={{ left: at(today) }} />
            </Track>
          </Lane>
        ))}
    </div>
  );
}
