/** One test over the time it was measured, large, with what was taken meanwhile beneath. */

import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { useTimes } from '../../app/words';
import { color, curves, font, size } from '../../ui/tokens';

const { wide, edge, name, plot } = curves;
const high = curves.high / 2;

const Picture = styled.svg`
  width: 100%;
  max-width: ${wide}px;
  height: auto;
  text {
    font: ${size.small} ${font.words};
    fill: ${color.quiet};
  }
`;

export interface Measured {
  at: string;
  number: number;
  /** It lies outside of the range that was given with it. */
  outside: boolean;
}

const DAY = 86_400_000;

/** From when until when something was taken, as far as anybody said; a year begins in January and ends in December. */
function taken(m: Schemas['Medicine']): { from: number | null; until: number | null } {
  const day = (text: string, end: boolean) => {
    const [year, month, date] = text.split('-').map(Number);
    if (!year) return null;
    if (date && month) return Date.UTC(year, month - 1, date);
    if (month) return end ? Date.UTC(year, month, 1) - DAY : Date.UTC(year, month - 1, 1);
    return end ? Date.UTC(year + 1, 0, 1) - DAY : Date.UTC(year, 0, 1);
  };
  return { from: day(m.since, false), until: day(m.until, true) };
}

/** `measured` from the oldest on; `usual` is the range of the newest. */
export function TestPlot(p: {
  label: string;
  unit: string;
  measured: Measured[];
  usual: [number | null, number | null];
  medicines: Schemas['Medicine'][];
  now: Date;
}) {
  const times = useTimes();
  const first = p.measured[0];
  if (!first) return null;
  const values = p.measured.map((m) => m.number);
  const [low, most] = [Math.min(...values), Math.max(...values)];
  const room = (most - low || Math.abs(most) || 1) * 0.15;
  // Of the usual range the nearer edge is always in sight.
  const [from, to] = p.usual;
  const bottom = Math.min(low, to != null && to < low ? to : low, from != null && from > most ? low : low) - room;
  const top = Math.max(most, from != null && from > most ? from : most) + room;
  const start = Date.parse(first.at) - 5 * DAY;
  const end = Math.max(p.now.getTime(), Date.parse(p.measured.at(-1)?.at ?? first.at)) + 5 * DAY;
  const x = (at: number) =>
    edge.left + ((Math.min(end, Math.max(start, at)) - start) / (end - start)) * (wide - edge.left - edge.right);
  const y = (value: number) =>
    high -
    edge.bottom -
    ((Math.min(top, Math.max(bottom, value)) - bottom) / (top - bottom)) * (high - edge.top - edge.bottom);
  const points = p.measured.map((m) => `${x(Date.parse(m.at))},${y(m.number)}`).join(' ');
  const bars = p.medicines
    .filter((m) => m.state !== 'not_taking')
    .map((m) => ({ ...m, ...taken(m) }))
    .filter((m) => (m.from ?? start) <= end && (m.until ?? end) >= start);
  const under = bars.length * plot.bar;
  const edgeOf = (side: number | null, otherwise: number) => y(side ?? otherwise);
  const ticks = [
    first,
    ...(p.measured.length > 2 ? [p.measured[Math.floor(p.measured.length / 2)]] : []),
    p.measured.at(-1),
  ];
  return (
    <Picture
      viewBox={`0 0 ${wide} ${high + under}`}
      role="img"
      aria-label={`${p.label} over time: ${p.measured.map((m) => `${times.full(m.at)} ${m.number}`).join(', ')}`}
      data-test-plot
    >
      {(from != null || to != null) && (
        <>
          <rect
            x={edge.left}
            width={wide - edge.left - edge.right}
            y={edgeOf(to, top)}
            height={Math.max(1, edgeOf(from, bottom) - edgeOf(to, top))}
            fill={color.kelpGround}
          />
          <text
            x={edge.left + name.left}
            y={edgeOf(to, top) > edge.top + 2 * name.apart ? edgeOf(to, top) - name.gap : edgeOf(to, top) + name.apart}
          >
            usual {from ?? ''}
            {from != null && to != null ? '–' : ''}
            {to ?? ''} {p.unit}
          </text>
        </>
      )}
      {[low, most].map((value, i) =>
        i === 1 && value === low ? null : (
          <text key={i} x={edge.left - name.left} y={y(value) + name.drop} textAnchor="end">
            {value}
          </text>
        ),
      )}
      <polyline points={points} fill="none" stroke={color.tide} strokeWidth={curves.own} />
      {p.measured.map((m) => {
        const [cx, cy] = [x(Date.parse(m.at)), y(m.number)];
        const title = <title>{`${times.full(m.at)}: ${m.number} ${p.unit}`}</title>;
        return m.outside ? (
          <rect
            key={m.at}
            x={cx - curves.last}
            y={cy - curves.last}
            width={2 * curves.last}
            height={2 * curves.last}
            transform={`rotate(45 ${cx} ${cy})`}
            fill={color.brass}
          >
            {title}
          </rect>
        ) : (
          <circle key={m.at} cx={cx} cy={cy} r={curves.dot} fill={color.tide}>
            {title}
          </circle>
        );
      })}
      {ticks.map((m, i) =>
        m && (i === 0 || m.at !== first.at) ? (
          <text
            key={i}
            x={x(Date.parse(m.at))}
            y={high - edge.bottom + name.below}
            textAnchor={i === 0 ? 'start' : m === p.measured.at(-1) ? 'end' : 'middle'}
          >
            {times.full(m.at)}
          </text>
        ) : null,
      )}
      {bars.map((m, i) => {
        const [left, right] = [x(m.from ?? start), x(m.until ?? end)];
        const above = high + i * plot.bar;
        return (
          <g key={m.id}>
            <rect
              x={left}
              width={Math.max(2, right - left)}
              y={above}
              height={plot.bar - plot.gap}
              fill={color.tideGround}
              stroke={color.tide}
              strokeDasharray={m.from === null ? curves.dashes : undefined}
            />
            <text x={left + name.left} y={above + plot.bar - plot.gap - name.gap}>
              {m.name}
              {m.from === null ? ', since when is not known' : ''}
              {m.state === 'unknown' ? ', whether taken is not known' : ''}
            </text>
          </g>
        );
      })}
    </Picture>
  );
}
