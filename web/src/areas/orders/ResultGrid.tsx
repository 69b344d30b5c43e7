/** All results of a person: a test a line, a report a column, the newest first; a line opens as a large plot. */

import { Fragment, useState } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../../api/client';
import { useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Scroller, Small, Stack, Table } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { Mark, shapeOf } from './marks';
import { TestPlot } from './TestPlot';
import { resultGrid } from './queries';

type Grid = Schemas['ResultGrid'];
type LineOf = Schemas['GridLine'];

/** A line is known by what it is, not by where it stands: a new report moves it. */
const lineKey = (line: LineOf) => `${line.panel} ${line.name} ${line.unit}`;

/** So many columns stand side by side; older ones are a press away. */
const COLUMNS = 8;

export function ResultsOf({ person }: { person: string }) {
  const look = useLook(resultGrid(person));
  if (!look.data || unanswered(look)) return <Unanswered look={look} rows={5} />;
  const away = look.data.filings.filter((f) => !f.filed);
  return (
    <Stack $gap={3}>
      {away.length > 0 && <Away filings={look.data.filings} />}
      {look.data.lines.length === 0 ? <p>No results yet.</p> : <Lines grid={look.data} />}
    </Stack>
  );
}

/** What was filed here by mistake, and what was taken away. */
function Away({ filings }: { filings: Grid['filings'] }) {
  const times = useTimes();
  return (
    <Notice $tone="brass" data-taken-away>
      {filings.map((f) => (
        <div key={f.id}>
          {f.filed ? 'A result was filed here' : 'A result that stood here was taken away'} by {f.doneBy} on{' '}
          {times.full(f.doneAt)}: {f.reason}
        </div>
      ))}
    </Notice>
  );
}

function Lines({ grid }: { grid: Grid }) {
  const times = useTimes();
  const { now } = useSession();
  const [from, setFrom] = useState(0);
  const [folded, setFolded] = useState<string[]>([]);
  const [open, setOpen] = useState<string | null>(null);
  const columns = grid.reports.slice(from, from + COLUMNS);
  const panels = [...new Set(grid.lines.map((l) => l.panel))];
  return (
    <>
      {grid.reports.length > COLUMNS && (
        <Row>
          <Button $kind="quiet" isDisabled={from === 0} onPress={() => setFrom(Math.max(0, from - COLUMNS))}>
            Newer
          </Button>
          <Small>
            Reports {from + 1} to {Math.min(grid.reports.length, from + COLUMNS)} of {grid.reports.length}
          </Small>
          <Button
            $kind="quiet"
            isDisabled={from + COLUMNS >= grid.reports.length}
            onPress={() => setFrom(from + COLUMNS)}
          >
            Older
          </Button>
        </Row>
      )}
      <Scroller>
        <Table data-tight data-results-grid>
          <thead>
            <tr>
              <th>Test</th>
              {columns.map((r) => (
                <th key={r.id} className="number">
                  <Link
                    to={`/results?result=${r.id}`}
                    title={`${r.name}, report ${r.number}${r.reviewedBy ? `, reviewed by ${r.reviewedBy}` : ', not reviewed'}`}
                  >
                    {times.full(r.issuedAt)}
                  </Link>
                  {!r.reviewedAt && ' •'}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {panels.map((panel) => {
              const lines = grid.lines.filter((line) => line.panel === panel);
              const alone = lines.length === 1 && lines[0]?.name === panel;
              const isFolded = folded.includes(panel);
              return (
                <Fragment key={panel}>
                  {!alone && (
                    <tr>
                      <td colSpan={columns.length + 1}>
                        <Button
                          $kind="quiet"
                          aria-expanded={!isFolded}
                          onPress={() => setFolded(isFolded ? folded.filter((p) => p !== panel) : [...folded, panel])}
                        >
                          {isFolded ? '▸' : '▾'} {panel}
                        </Button>
                      </td>
                    </tr>
                  )}
                  {!isFolded &&
                    lines.map((line) => (
                      <Fragment key={lineKey(line)}>
                        <Test
                          line={line}
                          columns={[from, columns.length]}
                          open={open === lineKey(line)}
                          toggle={() => setOpen(open === lineKey(line) ? null : lineKey(line))}
                        />
                        {open === lineKey(line) && (
                          <tr>
                            <td colSpan={columns.length + 1}>
                              <Large line={line} grid={grid} now={now} />
                            </td>
                          </tr>
                        )}
                      </Fragment>
                    ))}
                </Fragment>
              );
            })}
          </tbody>
        </Table>
      </Scroller>
      {columns.some((r) => !r.reviewedAt) && <Small>• nobody has reviewed this report yet</Small>}
    </>
  );
}

function Test(p: { line: LineOf; columns: [number, number]; open: boolean; toggle: () => void }) {
  const [from, count] = p.columns;
  const cells = Array.from({ length: count }, (_, i) => p.line.cells.filter((c) => c.report === from + i));
  return (
    <tr data-test={p.line.name}>
      <td>
        <Button $kind="quiet" aria-expanded={p.open} onPress={p.toggle}>
          {p.line.name}
        </Button>{' '}
        <Small>{p.line.unit}</Small>
      </td>
      {cells.map((of, i) => (
        <td key={from + i} className="number">
          {of.map((c, n) => (
            <div
              key={n}
              title={[c.note, c.convertedFrom && `reported as ${c.words} ${c.convertedFrom}`]
                .filter(Boolean)
                .join('; ')}
            >
              {shapeOf(c.flag)} {c.convertedFrom ? `≈ ${c.number}` : c.words}
            </div>
          ))}
        </td>
      ))}
    </tr>
  );
}

/** A line as a plot, with what was taken over the same time, and all that was said with its date. */
function Large({ line, grid, now }: { line: LineOf; grid: Grid; now: Date }) {
  const times = useTimes();
  const at = (report: number) => grid.reports[report]?.issuedAt ?? now.toISOString();
  const measured = line.cells
    .flatMap((c) => (c.number == null ? [] : [{ at: at(c.report), number: c.number, outside: c.outside }]))
    .reverse();
  const ranged = line.cells.find((c) => c.low != null || c.high != null);
  return (
    <Stack $gap={2}>
      {measured.length > 1 && (
        <TestPlot
          label={line.name}
          unit={line.unit}
          measured={measured}
          usual={[ranged?.low ?? null, ranged?.high ?? null]}
          medicines={grid.medicines}
          now={now}
        />
      )}
      <Row $gap={4}>
        {line.cells.map((c, n) => (
          <span key={n}>
            {c.words} <Small>{c.convertedFrom ?? line.unit}</Small> <Mark flag={c.flag} />{' '}
            <Small>
              {times.full(at(c.report))}
              {c.note && `, ${c.note}`}
            </Small>
          </span>
        ))}
      </Row>
    </Stack>
  );
}
