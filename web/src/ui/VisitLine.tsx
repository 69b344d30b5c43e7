/** The visit line: nine marks on one thin line. Reached ones are filled, the present one is ringed,
 *  blocked ones are notched with their count. */

import { Link } from 'react-router';
import styled from 'styled-components';
import type { Schemas } from '../api/client';
import { color, font, hair, rail, size, space, strip, stroke } from './tokens';

type Line = Schemas['LineView'];
type Mark = Schemas['MarkView'];

const state = (mark: Mark) => (mark.at ? 'reached' : mark.current ? 'current' : 'ahead');

const Strip = styled.span<{ $tight: boolean }>`
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 ${space(2)};
  max-width: 100%;
  /* The nine stay on one line; the words go below them where there is no room beside. */
  > span {
    display: inline-flex;
    align-items: center;
    min-width: 0;
    max-width: 100%;
    gap: ${(p) => (p.$tight ? strip.tightGap : strip.gap)};
  }
  i {
    display: block;
    width: ${(p) => (p.$tight ? strip.tightMark : strip.mark)};
    height: ${strip.height};
    border-radius: ${strip.corner};
    background: ${color.well};
    border: ${hair};
  }
  i[data-state='reached'] {
    background: ${color.kelp};
    border-color: ${color.kelp};
  }
  i[data-state='current'] {
    height: ${strip.current};
    background: ${color.sheet};
    border: ${stroke.thin} solid ${color.indigo};
  }
  i[data-state='current'][data-blocked='true'] {
    border-color: ${color.brass};
    clip-path: polygon(0 0, 100% 0, 100% 55%, 70% 100%, 0 100%);
  }
  small {
    font-size: ${size.small};
    color: ${color.quiet};
    white-space: nowrap;
  }
`;

/** What the line says in one sentence, for those who hear it. */
export function lineInWords(line: Line): string {
  if (line.ended) return `Visit ${line.ended}`;
  const reached = line.marks.filter((m) => m.at).map((m) => m.label);
  const current = line.marks.find((m) => m.current);
  const blockers = current?.blockers.length ?? 0;
  const next = current ? `next: ${current.label}` : 'complete';
  return `Reached ${reached.at(-1) ?? 'nothing'}, ${next}${blockers ? `, ${blockers} to clear` : ''}`;
}

/** `words` off leaves the strip alone, narrow enough for a card. */
export function CompactLine({ line, words = true }: { line: Line; words?: boolean }) {
  const current = line.marks.find((m) => m.current);
  const count = current?.blockers.length ?? 0;
  return (
    <Strip $tight={!words} role="img" aria-label={lineInWords(line)} title={lineInWords(line)}>
      <span>
        {line.marks.map((m) => (
          <i key={m.mark} data-state={state(m)} data-blocked={m.blockers.length > 0} />
        ))}
      </span>
      {words && (
        <small aria-hidden>
          {line.ended ?? (current ? `→ ${current.label}` : 'Settled')}
          {count > 0 && !line.ended ? ` · ${count}` : ''}
        </small>
      )}
    </Strip>
  );
}

const Full = styled.ol`
  position: relative;
  display: flex;
  flex-direction: column;
`;

const Step = styled.li`
  position: relative;
  display: grid;
  grid-template-columns: ${rail.column} 1fr auto;
  gap: ${space(2)};
  align-items: baseline;
  padding-bottom: ${space(2)};
  &::before {
    content: '';
    position: absolute;
    left: ${rail.inset};
    top: ${rail.from};
    bottom: ${rail.past};
    width: ${stroke.thin};
    background: ${color.line};
  }
  &[data-state='reached']::before {
    background: ${color.kelp};
  }
  &:last-child::before {
    display: none;
  }
  > b {
    position: relative;
    top: ${stroke.thin};
    width: ${rail.dot};
    height: ${rail.dot};
    border-radius: 50%;
    border: ${stroke.thin} solid ${color.line};
    background: ${color.sheet};
  }
  &[data-state='reached'] > b {
    background: ${color.kelp};
    border-color: ${color.kelp};
  }
  &[data-state='current'] > b {
    border-color: ${color.indigo};
    box-shadow: inset 0 0 0 ${stroke.edge} ${color.sheet};
    background: ${color.indigo};
  }
  > span {
    color: ${color.quiet};
  }
  &[data-state='current'] > span {
    color: ${color.ink};
    font-weight: 700;
  }
  &[data-state='reached'] > span {
    color: ${color.ink};
  }
  > time {
    font: ${size.small} ${font.mono};
    color: ${color.quiet};
  }
`;

const MarkLink = styled(Link)`
  color: inherit;
  text-decoration: none;
  &:hover {
    text-decoration: underline;
  }
`;

const Blockers = styled.ul`
  grid-column: 2 / -1;
  display: flex;
  flex-direction: column;
  gap: ${space(1)};
  margin: ${space(1)} 0;
  li {
    padding-left: ${space(2)};
    border-left: ${stroke.edge} solid ${color.brass};
    font-size: ${size.small};
    line-height: 1.35;
  }
  a {
    color: ${color.ink};
  }
`;

const parts: Record<string, string> = {
  details: 'check-in?step=details',
  coverage: 'check-in?step=coverage',
  benefits: 'check-in?step=coverage',
  check_in: 'check-in',
  rooming: 'rooming',
  note: 'note',
  diagnoses: 'note',
  orders: 'orders',
  prescriptions: 'prescriptions',
  charges: 'charges',
  claim: 'money',
  money: 'money',
  schedule: 'note',
};

/** The exact place where a blocker is cleared. */
export const placeOf = (visit: string, place: string) => `/visits/${visit}/${parts[place] ?? 'note'}`;

/** Where a mark is made, or can be looked at. */
const placeOfMark: Record<string, string> = {
  here: 'check-in',
  checked_in: 'check-in',
  roomed: 'rooming',
  seen: 'note',
  signed: 'note',
  charged: 'charges',
  claimed: 'money',
  settled: 'money',
};

export function FullLine({
  line,
  visit,
  day,
  time,
  since,
}: {
  line: Line;
  visit: string;
  /** Of the visit: the booking is looked at on its schedule. */
  day: string;
  time: (iso: string) => string;
  /** How long ago a moment is, in words. */
  since: (iso: string) => string;
}) {
  const before = line.marks.filter((m) => m.at).at(-1)?.at;
  const to = (mark: string) => (mark === 'booked' ? `/schedule?day=${day}` : `/visits/${visit}/${placeOfMark[mark]}`);
  return (
    <Full aria-label="Visit line">
      {line.marks.map((m) => (
        <Step key={m.mark} data-state={state(m)} data-mark={m.mark}>
          <b aria-hidden />
          <span>
            <MarkLink to={to(m.mark)}>{m.label}</MarkLink>
            {m.at && <span style={{ position: 'absolute', opacity: 0, pointerEvents: 'none' }}> reached</span>}
          </span>
          {m.at && (
            <time dateTime={m.at} title={m.by ?? ''}>
              {time(m.at)}
            </time>
          )}
          {m.current && before && <time data-since>{since(before)}</time>}
          {m.blockers.length > 0 && (m.current || m.mark === 'checked_in') && (
            <Blockers>
              {m.blockers.map((b) => (
                <li key={b.sentence} data-blocker={b.code}>
                  <Link to={placeOf(visit, b.place)}>{b.sentence}</Link>
                </li>
              ))}
            </Blockers>
          )}
        </Step>
      ))}
      {line.ended && (
        <Step data-state="ended">
          <b aria-hidden />
          <span>{line.ended.charAt(0).toUpperCase() + line.ended.slice(1)}</span>
        </Step>
      )}
    </Full>
  );
}
