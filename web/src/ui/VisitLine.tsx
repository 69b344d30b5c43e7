/** The visit line: nine marks on one thin line. Reached ones are filled, the present one is ringed,
 *  blocked ones are notched with their count. */

import { Link } from 'react-router';
import styled from 'styled-components';
import type { Schemas } from '../api/client';
import { color, font, rail, size, space, strip, stroke } from './tokens';

type Line = Schemas['LineView'];
type Mark = Schemas['MarkView'];

const state = (mark: Mark) => (mark.at ? 'reached' : mark.current ? 'current' : 'ahead');

const Strip = styled.span`
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 ${space(2)};
  max-width: 100%;
  /* The nine stay on one line; the words go below them where there is no room beside. */
  > svg {
    display: block;
    min-width: 0;
    max-width: 100%;
    flex-shrink: 1;
    fill: ${color.well};
    stroke: ${color.line};
    stroke-width: ${strip.line};
  }
  [data-state='reached'] {
    fill: ${color.kelp};
    stroke: ${color.kelp};
  }
  [data-state='current'] {
    fill: ${color.sheet};
    stroke: ${color.indigo};
    stroke-width: ${strip.ring};
  }
  [data-state='current'][data-blocked='true'] {
    stroke: ${color.brass};
  }
  small {
    font-size: ${size.small};
    color: ${color.quiet};
    white-space: nowrap;
  }
`;

/** A box with round corners; a notched one lacks its lower right one. */
function box(x: number, y: number, width: number, height: number, notched = false) {
  const r = strip.corner;
  const corner = notched
    ? `v${height * strip.notch.high - r}l${-width * (1 - strip.notch.wide)} ${height * (1 - strip.notch.high)}`
    : `v${height - 2 * r}a${r} ${r} 0 0 1 ${-r} ${r}`;
  const bottom = notched ? width * strip.notch.wide - r : width - 2 * r;
  return (
    `M${x + r} ${y}h${width - 2 * r}a${r} ${r} 0 0 1 ${r} ${r}${corner}` +
    `h${-bottom}a${r} ${r} 0 0 1 ${-r} ${-r}v${-(height - 2 * r)}a${r} ${r} 0 0 1 ${r} ${-r}z`
  );
}

/** The nine as one picture of three shapes: a board has hundreds of them, and an element for each mark takes its time. */
function Marks({ marks, tight }: { marks: Mark[]; tight: boolean }) {
  const [wide, gap] = tight ? [strip.tightMark, strip.tightGap] : [strip.mark, strip.gap];
  const shapes = { reached: '', current: '', ahead: '' };
  let blocked = false;
  let x = 0;
  for (const m of marks) {
    const is = state(m);
    const [high, line] = is === 'current' ? [strip.current, strip.ring] : [strip.height, strip.line];
    if (is === 'current') blocked = m.blockers.length > 0;
    // A stroke lies half outside of its shape.
    shapes[is] += box(
      x + line / 2,
      (strip.current - high + line) / 2,
      wide - line,
      high - line,
      is === 'current' && blocked,
    );
    x += wide + gap;
  }
  return (
    <svg width={x - gap} height={strip.current} viewBox={`0 0 ${x - gap} ${strip.current}`} aria-hidden>
      {shapes.reached && <path data-state="reached" d={shapes.reached} />}
      {shapes.ahead && <path d={shapes.ahead} />}
      {shapes.current && <path data-state="current" data-blocked={blocked} d={shapes.current} />}
    </svg>
  );
}

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
    <Strip role="img" aria-label={lineInWords(line)} title={lineInWords(line)}>
      <Marks marks={line.marks} tight={!words} />
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
