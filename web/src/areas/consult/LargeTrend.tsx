/** One measure over time, large: dates, values, and what is usual. */

import { useTimes } from '../../app/words';
import { Drawing } from '../../ui/Drawing';
import { color, curves } from '../../ui/tokens';

const { wide, edge, value: over, name } = curves;
const high = curves.high / 2;

export interface Reading {
  at: string;
  value: number;
}

/** `readings` from the oldest on; `usual` both ends included. */
export function LargeTrend(p: { label: string; unit: string; readings: Reading[]; usual: [number, number] | null }) {
  const times = useTimes();
  const shown = p.readings.slice(-24);
  const values = shown.map((r) => r.value);
  let [low, most] = [Math.min(...values), Math.max(...values)];
  const room = (most - low || 1) * 0.4;
  // The nearer edge of what is usual is always in sight, the whole of it seldom.
  if (p.usual && low > p.usual[1]) low = p.usual[1] - room;
  if (p.usual && most < p.usual[0]) most = p.usual[0] + room;
  const span = most - low || 1;
  const within = (value: number) => Math.min(most, Math.max(low, value));
  const x = (n: number) =>
    edge.left + (shown.length > 1 ? n / (shown.length - 1) : 0.5) * (wide - edge.left - edge.right);
  const y = (value: number) => high - edge.bottom - ((value - low) / span) * (high - over.above - edge.bottom);
  // As many dates as can be read beside one another.
  const every = Math.ceil(shown.length / 6);
  const points = shown.map((r, n) => `${x(n)},${y(r.value)}`).join(' ');
  return (
    <Drawing viewBox={`0 0 ${wide} ${high}`} role="img" aria-label={`${p.label} over time`} data-large-trend>
      {p.usual && (
        <>
          <rect
            x={edge.left}
            width={wide - edge.left - edge.right}
            y={y(within(p.usual[1]))}
            height={Math.max(1, y(within(p.usual[0])) - y(within(p.usual[1])))}
            fill={color.kelpGround}
          />
          <text x={edge.left} y={y(within(p.usual[0])) - name.gap}>
            usual {p.usual[0]} to {p.usual[1]} {p.unit}
          </text>
        </>
      )}
      <polyline points={points} fill="none" stroke={color.tide} strokeWidth={curves.own} />
      {shown.map((r, n) => (
        <g key={`${r.at} ${n}`}>
          <circle cx={x(n)} cy={y(r.value)} r={curves.dot} fill={color.tide}>
            <title>
              {times.full(r.at)}: {r.value} {p.unit}
            </title>
          </circle>
          {(n % every === 0 || n === shown.length - 1) && (
            <>
              <text x={x(n)} y={y(r.value) - over.gap} textAnchor="middle">
                {r.value}
              </text>
              <text x={x(n)} y={high - edge.bottom + name.below} textAnchor="middle">
                {times.full(r.at)}
              </text>
            </>
          )}
        </g>
      ))}
    </Drawing>
  );
}
