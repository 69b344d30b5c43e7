/** What was measured, each kind beside its earlier values. */

import { Fragment, useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Small, Table, Tag } from '../../ui/layout';
import { Trend } from '../../ui/Trend';
import { LargeTrend } from './LargeTrend';
import { standingTone } from './QuickLine';

type Chart = Schemas['ChartView'];

export function Measurements({ chart, visit }: { chart: Chart; visit?: string }) {
  const times = useTimes();
  const may = useMay();
  const { run } = useDo();
  const { clinic } = useSession();
  const [large, setLarge] = useState<string | null>(null);
  const usualOf = (kind: string): [number, number] | null => {
    const range = chart.usual.find((u) => u.measure === kind);
    return range ? [range.low / 10, range.high / 10] : null;
  };
  const kinds = clinic.words.measures.filter((k) => chart.measurements.some((m) => m.measure === k.id));
  if (kinds.length === 0) return <p>Nothing measured yet.</p>;
  return (
    <Table data-tight>
      <thead>
        <tr>
          <th>Measure</th>
          <th>Latest</th>
          <th />
          <th className="wide">When</th>
          <th className="wide">Earlier</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {kinds.map(({ id: kind, label, unit }) => {
          const all = chart.measurements.filter((m) => m.measure === kind);
          const latest = all[0];
          if (!latest) return null;
          const mean = chart.means.find((m) => m.measure === kind);
          return (
            <Fragment key={kind}>
              <tr data-measure={kind}>
                <td>{label}</td>
                <td className="number">
                  {kind === 'visual_acuity' && '20/'}
                  {latest.tenths / 10} <Small>{unit}</Small>
                </td>
                <td>
                  {latest.standing !== 'usual' && (
                    <Tag $tone={standingTone[latest.standing]}>
                      {latest.standing === 'unjudged'
                        ? 'age not known: not judged'
                        : latest.standing === 'high'
                          ? '▲ high'
                          : '▼ low'}
                    </Tag>
                  )}
                  {latest.manner && <Small> {latest.manner}</Small>}
                  {latest.typed && <Small> from {latest.typed}</Small>}
                  {mean && (
                    <Small data-mean={kind}>
                      {' '}
                      mean of {mean.readings}: {mean.tenths / 10}
                    </Small>
                  )}
                </td>
                <td className="wide">
                  <Small>{times.full(latest.takenAt)}</Small>
                </td>
                <td className="wide">
                  {all.length > 1 && (
                    <Button
                      $kind="quiet"
                      aria-label={`${label} over time`}
                      aria-expanded={large === kind}
                      onPress={() => setLarge(large === kind ? null : kind)}
                    >
                      <Trend values={all.map((m) => m.tenths / 10).reverse()} label={`${label}, earlier values`} />
                    </Button>
                  )}
                </td>
                <td>
                  {visit && latest.visitId === visit && may('record_vitals') && (
                    <Button
                      $kind="quiet"
                      aria-label={`Strike ${label}`}
                      onPress={() =>
                        void run(() =>
                          api.DELETE('/api/visits/{id}/measurements/{measurement}', {
                            params: { path: { id: visit, measurement: latest.id } },
                          }),
                        )
                      }
                    >
                      Strike
                    </Button>
                  )}
                </td>
              </tr>
              {large === kind && (
                <tr>
                  <td colSpan={6}>
                    <LargeTrend
                      label={label}
                      unit={unit ?? ''}
                      readings={all.map((m) => ({ at: m.takenAt, value: m.tenths / 10 })).reverse()}
                      usual={usualOf(kind)}
                    />
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </Table>
  );
}
