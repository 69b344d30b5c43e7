/** A small line of earlier values, the last one as a dot. */

import { color } from './tokens';

export function Trend({ values, label }: { values: number[]; label: string }) {
  if (values.length < 2) return null;
  const low = Math.min(...values);
  const span = Math.max(...values) - low || 1;
  const shown = values.slice(-12);
  const point = (v: number, i: number) => [4 + (i * 82) / (shown.length - 1), 20 - ((v - low) / span) * 16] as const;
  const points = shown.map((v, i) => point(v, i).join(',')).join(' ');
  const last = point(shown[shown.length - 1] ?? 0, shown.length - 1);
  return (
    <svg width="90" height="24" role="img" aria-label={`${label}: ${shown.join(', ')}`}>
      <polyline points={points} fill="none" stroke={color.tide} strokeWidth="1.5" />
      <circle cx={last[0]} cy={last[1]} r="3" fill={color.tide} />
    </svg>
  );
}
