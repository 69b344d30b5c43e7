/** The values of a result: against the range, against what was corrected, and against all earlier ones. */

import { Fragment, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Mono, Row, Scroller, Small, Stack, Table } from '../../ui/layout';
import { Trend } from '../../ui/Trend';
import { Mark, shapeOf } from './marks';
import { TestPlot } from './TestPlot';

type View = Schemas['ResultView'];
type ValueView = Schemas['ValueView'];

export function ResultValues({ view, now }: { view: View; now: Date }) {
  const [open, setOpen] = useState<number | null>(null);
  if (view.values.length === 0) return <Small>The report holds no values.</Small>;
  return (
    <Scroller>
      <Table>
        <thead>
          <tr>
            <th>Test</th>
            <th className="number">Value</th>
            <th />
            <th>Usual range</th>
            <th className="wide">Earlier</th>
          </tr>
        </thead>
        <tbody>
          {view.values.map((v) => (
            <Fragment key={v.value.position}>
              <Line v={v} open={open === v.value.position} setOpen={(on) => setOpen(on ? v.value.position : null)} />
              {open === v.value.position && (
                <tr>
                  <td colSpan={5}>
                    <Before v={v} at={view.report.issuedAt} now={now} />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}

function Line({ v, open, setOpen }: { v: ValueView; open: boolean; setOpen: (open: boolean) => void }) {
  const times = useTimes();
  const numbers = v.earlier.flatMap((e) => (e.number == null ? [] : [e.number]));
  const last = v.earlier.at(-1);
  return (
    <tr data-value={v.value.testKey}>
      <td>
        {v.value.name}
        {v.value.note && (
          <div>
            <Small>{v.value.note}</Small>
          </div>
        )}
        {v.value.method && (
          <div>
            <Small>by {v.value.method}</Small>
          </div>
        )}
      </td>
      <td className="number" style={v.exact != null ? undefined : { whiteSpace: 'normal', textAlign: 'left' }}>
        {v.words} <Small>{v.unit}</Small>
        {v.was != null && (
          <div>
            <Small>
              {v.was === 'not there' ? (
                'is new'
              ) : (
                <>
                  was <s>{v.was}</s>
                </>
              )}
            </Small>
          </div>
        )}
      </td>
      <td>
        <Mark flag={v.value.flag} />
      </td>
      <td>
        <Mono>{v.range}</Mono>
        {(v.value.criticalLow != null || v.value.criticalHigh != null) && (
          <div>
            <Small>
              critical{v.value.criticalLow != null && ` below ${v.value.criticalLow}`}
              {v.value.criticalHigh != null && ` above ${v.value.criticalHigh}`}
            </Small>
          </div>
        )}
      </td>
      <td className="wide">
        {last ? (
          <Stack $gap={0}>
            {v.exact != null && numbers.length > 0 && (
              <Trend values={[...numbers, v.exact]} label={`${v.value.name} before`} />
            )}
            <Button $kind="quiet" aria-expanded={open} onPress={() => setOpen(!open)}>
              <Small>
                {last.words} on {times.full(last.at)}
              </Small>
            </Button>
          </Stack>
        ) : (
          <Small>the first</Small>
        )}
      </td>
    </tr>
  );
}

/** All earlier values with their dates, and the plot of those that can be drawn. */
function Before({ v, at, now }: { v: ValueView; at: string; now: Date }) {
  const times = useTimes();
  const drawn = v.earlier.flatMap((e) =>
    e.number == null ? [] : [{ at: e.at, number: e.number, outside: e.outside }],
  );
  const own = v.exact == null ? [] : [{ at, number: v.exact, outside: v.outside }];
  return (
    <Stack $gap={2}>
      {drawn.length + own.length > 1 && (
        <TestPlot
          label={v.value.name}
          unit={v.unit}
          measured={[...drawn, ...own]}
          usual={[v.value.low ?? null, v.value.high ?? null]}
          medicines={[]}
          now={now}
        />
      )}
      <Row $gap={4}>
        {[...v.earlier].reverse().map((e) => (
          <span key={e.reportId + e.words}>
            <Mono>{e.words}</Mono> <Small>{e.unit}</Small> {shapeOf(e.flag)}{' '}
            <Small>
              {times.full(e.at)}
              {e.converted && e.number != null && `, is ${e.number} ${v.unit}`}
              {e.number == null && e.unit !== v.unit && ', of another unit'}
            </Small>
          </span>
        ))}
      </Row>
    </Stack>
  );
}
