/** One test over the time it was measured, large, with what was taken meanwhile beneath. */

import type { Schemas } from '../../api/client';
import { useTimes } from '../../app/words';
import { Drawing } from '../../ui/Drawing';
import { color, curves } from '../../ui/tokens';

const { wide, edge, name, plot } = curves;
const high = curves.high / 2;

export interface Measured {
  at: string;
  number: number;
  /** It lies outside of the range that was given with it. */
  outside: boolean;
}

const DAY = 86_400_000;

/** `measured` from the oldest on; `usual` is the range of the newest. */
export function TestPlot(p: {
  label: string;
  unit: string;
  measured: Measured[];
  usual: [number | null, number | null];
  medicines: Schemas['TakenOver'][];
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
    .map((m) => ({ ...m, from: m.from ? Date.parse(m.from) : null, until: m.until ? Date.parse(m.until) : null }))
    .filter((m) => (m.from ?? start) <= end && (m.until ?? end) >= start);
  const under = bars.length * plot.bar;
  const edgeOf = (side: number | null, otherwise: number) => y(side ?? otherwise);
  const ticks = [
    first,
    ...(p.measured.length > 2 ? [p.measured[Math.floor(p.measured.length / 2)]] : []),
    p.measured.at(-1),
  ];
  return (
    <Drawing
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
      {p.measured.map((m, n) => {
        const [cx, cy] = [x(Date.parse(m.at)), y(m.number)];
        const title = <title>{`${times.full(m.at)}: ${m.number} ${p.unit}`}</title>;
        return m.outside ? (
          <rect
            key={n}
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
          <circle key={n} cx={cx} cy={cy} r={curves.dot} fill={color.tide}>
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
    </Drawing>
  );
}
