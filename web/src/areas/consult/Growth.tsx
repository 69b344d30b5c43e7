/** A child's growth beside the reference: its lines, the child's points, and what is to be told of them. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { Choose } from '../../ui/controls';
import { Mono, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { Drawing } from '../../ui/Drawing';
import { color, curves } from '../../ui/tokens';
import { growth } from './queries';

type Chart = Schemas['GrowthChart'];

const { wide, high, edge, name } = curves;

/** Round steps, so that some five of them fill a stretch. */
function steps(from: number, to: number, choices: number[]) {
  const step = choices.find((s) => (to - from) / s <= 8) ?? choices[choices.length - 1] ?? 1;
  const out = [];
  for (let x = Math.ceil(from / step) * step; x <= to; x += step) out.push(x);
  return out;
}

const ageWords = (months: number) => (months >= 24 ? `${months / 12} y` : `${months} mo`);

function Curves({ chart }: { chart: Chart }) {
  const ages = chart.points.map((p) => p.months);
  const all = chart.lines.flatMap((l) => l.points.map((p) => p.months));
  // The years around the child's points, not the whole of childhood.
  const from = Math.max(Math.min(...all), Math.min(...ages) - 12);
  const to = Math.min(Math.max(...all), Math.max(...ages) + 12);
  const seen = chart.lines.map((l) => ({
    percent: l.percent,
    points: l.points.filter((p) => p.months >= from && p.months <= to),
  }));
  const values = [...seen.flatMap((l) => l.points.map((p) => p.value)), ...chart.points.map((p) => p.value)];
  const [low, top] = [Math.min(...values), Math.max(...values)];
  const x = (months: number) => edge.left + ((months - from) / (to - from || 1)) * (wide - edge.left - edge.right);
  const y = (value: number) =>
    high - edge.bottom - ((value - low) / (top - low || 1)) * (high - edge.top - edge.bottom);
  const path = (points: { months: number; value: number }[]) =>
    points.map((p, i) => `${i ? 'L' : 'M'}${x(p.months).toFixed(1)} ${y(p.value).toFixed(1)}`).join('');
  const last = chart.points[chart.points.length - 1];
  // The middle is always named, the others where their names do not lie over one another.
  const ends = seen.map((l) => ({ percent: l.percent, at: y(l.points[l.points.length - 1]?.value ?? low) }));
  const named = new Set<number>();
  for (const percent of [50, 3, 97, 25, 75, 10, 90, 5, 95]) {
    const one = ends.find((e) => e.percent === percent);
    if (one && ends.every((e) => !named.has(e.percent) || Math.abs(e.at - one.at) > name.apart)) named.add(percent);
  }
  return (
    <Drawing
      viewBox={`0 0 ${wide} ${high}`}
      role="img"
      aria-label={`${chart.title}: ${chart.points.map((p) => `${p.value} ${chart.unit} at ${p.months.toFixed(1)} months, P${p.percentile.toFixed(0)}`).join('; ')}`}
    >
      {steps(from, to, from < 24 ? [1, 2, 3, 6, 12] : [6, 12, 24]).map((m) => (
        <g key={m}>
          <line x1={x(m)} x2={x(m)} y1={edge.top} y2={high - edge.bottom} stroke={color.line} />
          <text x={x(m)} y={high - edge.bottom + name.below} textAnchor="middle">
            {ageWords(m)}
          </text>
        </g>
      ))}
      {steps(low, top, [1, 2, 5, 10, 20]).map((v) => (
        <g key={v}>
          <line x1={edge.left} x2={wide - edge.right} y1={y(v)} y2={y(v)} stroke={color.line} />
          <text x={edge.left - name.left} y={y(v) + name.drop} textAnchor="end">
            {v}
          </text>
        </g>
      ))}
      {seen.map((l) => {
        const end = l.points[l.points.length - 1];
        return (
          <g key={l.percent}>
            <path
              d={path(l.points)}
              fill="none"
              stroke={color.quiet}
              strokeWidth={l.percent === 50 ? curves.middle : curves.line}
              strokeDasharray={l.percent === 50 ? undefined : curves.dashes}
            />
            {end && named.has(l.percent) && (
              <text x={x(end.months) + name.gap} y={y(end.value) + name.drop}>
                P{l.percent}
              </text>
            )}
          </g>
        );
      })}
      <path d={path(chart.points)} fill="none" stroke={color.indigo} strokeWidth={curves.own} />
      {chart.points.map((p) => (
        <circle
          key={`${p.day} ${p.value}`}
          cx={x(p.months)}
          cy={y(p.value)}
          r={p === last ? curves.last : curves.dot}
          fill={color.indigo}
        >
          <title>{`${p.day}: ${p.value} ${chart.unit}, P${p.percentile.toFixed(1)}, z ${p.z.toFixed(2)}`}</title>
        </circle>
      ))}
    </Drawing>
  );
}

export function Growth({ person }: { person: string }) {
  const look = useLook(growth(person));
  const [table, setTable] = useState('');
  const view = look.data;
  if (!view) return null;
  const chart = view.charts.find((c) => c.table === table) ?? view.charts[0];
  if (!chart) return <p>{view.missing}</p>;
  const last = chart.points[chart.points.length - 1];
  return (
    <Stack data-growth>
      <Choose
        label="Which"
        hideLabel
        value={chart.table}
        onChange={setTable}
        choices={view.charts.map((c) => ({ id: c.table, label: c.title.replace(/, .*/, '') }))}
      />
      {chart.told.map((t) => (
        <Notice key={t} $tone={t.startsWith('Crossed') ? 'brass' : 'tide'}>
          {t}
        </Notice>
      ))}
      <Curves chart={chart} />
      <Row>
        {last && (
          <span>
            Latest{' '}
            <Mono>
              {last.value} {chart.unit}
            </Mono>
            , P<Mono>{last.percentile.toFixed(1)}</Mono>, z <Mono>{last.z.toFixed(2)}</Mono>
          </span>
        )}
        <Spread />
        <Small>{view.reference}</Small>
      </Row>
    </Stack>
  );
}
