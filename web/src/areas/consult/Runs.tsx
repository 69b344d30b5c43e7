/** The runs of a note: each problem with its words, and in the margin what lies under its diagnosis. */

import { type KeyboardEvent, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Small, Spread, Tag } from '../../ui/layout';
import { color, half, hair, part, space } from '../../ui/tokens';
import { Margin, type Opened, OpenedHere } from './Lane';
import { FindProblem } from './FindProblem';
import { PartField, PartRead } from './PartField';
import { fieldsOf, signedOf } from './writing';

type Chart = Schemas['ChartView'];
type Run = Schemas['NoteRun'];

/** The parts of a run, with what each is called there and what invites to it. */
const parts: [Schemas['NotePart'], string, string][] = [
  ['history', 'History', 'How it began, and how it goes'],
  ['examination', 'Findings', 'What was found'],
  ['assessment', 'Assessment', 'What it is thought to be'],
  ['plan', 'Plan', 'What is done about it'],
];

export const Lane = styled.section`
  display: grid;
  grid-template-columns: minmax(0, 1fr) ${part.margin};
  gap: ${space(1)} ${space(4)};
  padding: ${space(2.5)} 0;
  margin-top: ${space(2.5)};
  border-top: ${hair};
  > header {
    grid-column: 1 / -1;
  }
  &:focus-within > header {
    color: ${color.indigo};
  }
  @media (max-width: ${half}) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

/** What can be done with a run as a whole: there for who looks at it, and no noise beside the others. */
const Tools = styled(Row)`
  gap: 0;
  @media (hover: hover) {
    opacity: 0;
    section:hover > header > div > &,
    section:focus-within > header > div > & {
      opacity: 1;
    }
  }
`;

function OneRun(p: {
  visit: string;
  chart: Chart;
  run: Run;
  index: number;
  open: boolean;
  orders: boolean;
  fixed: boolean;
}) {
  const { visit, chart, index } = p;
  const code = p.run.code ?? null;
  const [opened, setOpened] = useState<Opened>(null);
  const [coding, setCoding] = useState(false);
  const { run, busy, refusal } = useDo();
  const params = { path: { id: visit, run: p.run.id } };
  const become = (body: Schemas['RunBecomes']) =>
    void run(() => api.PUT('/api/visits/{id}/runs/{run}', { params, body }));
  const codes = chart.diagnoses.map((d) => d.code);
  // Beside a signed note the diagnoses are set as a whole, and an addendum tells what they were.
  const arrange = (wanted: string[]) =>
    void run(() => api.PUT('/api/visits/{id}/diagnoses', { params: { path: { id: visit } }, body: { codes: wanted } }));
  const remove = () => {
    if (p.open) void run(() => api.DELETE('/api/visits/{id}/runs/{run}', { params }));
    else arrange(codes.filter((c) => c !== code));
  };
  const moveTo = (to: number) => {
    if (p.open) become({ place: to });
    else if (code)
      arrange([...codes.filter((c) => c !== code).slice(0, to), code, ...codes.filter((c) => c !== code).slice(to)]);
  };
  const savedOf = (of: Schemas['NotePart']) => chart.parts.find((x) => x.part === of && x.runId === p.run.id);
  const written = parts.some(([id]) => savedOf(id)?.body);
  const keys = (event: KeyboardEvent) => {
    if (!event.altKey || p.fixed) return;
    const to = { ArrowUp: index - 1, ArrowDown: index + 1 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    if (to >= 0 && to < chart.runs.length) moveTo(to);
  };
  const title = `${code ? `${code} ` : ''}${p.run.title}`;
  return (
    <Lane
      aria-label={`Problem ${index + 1}: ${title}`}
      data-run={p.run.id}
      {...(code && { 'data-lane': code, 'data-diagnosis': code })}
      onKeyDown={keys}
    >
      <header>
        <Row $gap={2}>
          <Mono>{index + 1}</Mono>
          <h2 style={{ minWidth: 0, fontSize: 'inherit' }}>{p.run.title}</h2>
          {code ? <Mono>{code}</Mono> : <Tag $tone="brass">no code yet</Tag>}
          <Spread />
          {!p.fixed && (
            <Tools>
              {index > 0 && (
                <Button
                  $kind="quiet"
                  excludeFromTabOrder
                  aria-label={`${code ?? p.run.title} up`}
                  onPress={() => moveTo(index - 1)}
                  isDisabled={busy}
                >
                  ↑
                </Button>
              )}
              {p.open && (
                <Button $kind="quiet" excludeFromTabOrder={code !== null} onPress={() => setCoding(!coding)}>
                  {code ? 'Other code' : 'Find its code'}
                </Button>
              )}
              {(!written || !p.open) && (
                <Button
                  $kind="quiet"
                  excludeFromTabOrder
                  aria-label={`Remove ${code ?? p.run.title}`}
                  onPress={remove}
                  isDisabled={busy}
                >
                  ✕
                </Button>
              )}
            </Tools>
          )}
        </Row>
        {coding && (
          <FindProblem
            label={`Code for ${p.run.title}`}
            placeholder="Words in any order, or a piece of a code"
            autoFocus
            onCode={(next) => {
              setCoding(false);
              become({ code: next });
            }}
          />
        )}
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
      </header>
      <div>
        {parts.map(([id, label, invite]) =>
          p.open && !signedOf(chart, savedOf(id)) ? (
            <PartField
              key={id}
              visit={visit}
              at={{ part: id, run: p.run.id }}
              label={label}
              of={p.run.title}
              invite={invite}
              saved={savedOf(id)}
              fields={fieldsOf(chart, { part: id, run: p.run.id })}
            />
          ) : (
            <PartRead key={id} label={label} saved={savedOf(id)} signed={signedOf(chart, savedOf(id))} />
          ),
        )}
        <OpenedHere visit={visit} chart={chart} code={code} open={p.open} opened={opened} setOpened={setOpened} />
      </div>
      <Margin chart={chart} code={code} open={p.open} orders={p.orders} opened={opened} setOpened={setOpened} />
    </Lane>
  );
}

/** Orders and prescriptions that lie under no diagnosis yet. */
function Nowhere(p: { visit: string; chart: Chart; open: boolean; orders: boolean }) {
  const { visit, chart, open, orders } = p;
  const [opened, setOpened] = useState<Opened>(null);
  const lies =
    chart.orders.some((o) => o.codes.length === 0) || chart.prescriptions.some((x) => (x.diagnosis ?? null) === null);
  if (!lies) return null;
  return (
    <Lane data-nowhere aria-label="Under no diagnosis">
      <div>
        <Row $gap={2}>
          <Tag $tone="brass">under no diagnosis</Tag>
          <Small>
            Must be placed before sending: with it in focus, 1 to {Math.max(1, chart.diagnoses.length)} puts it there.
          </Small>
        </Row>
        <OpenedHere visit={visit} chart={chart} code={null} open={open} opened={opened} setOpened={setOpened} />
      </div>
      <Margin chart={chart} code={null} open={open} orders={orders} opened={opened} setOpened={setOpened} />
    </Lane>
  );
}

export function Runs(p: { visit: string; chart: Chart; open: boolean; orders: boolean; fixed: boolean }) {
  const { visit, chart } = p;
  const [said, setSaid] = useState<Schemas['DiagnosesAnswer'] | null>(null);
  const { run, refusal } = useDo();
  const params = { path: { id: visit } };
  const add = async (code: string) => {
    const body = { codes: [...chart.diagnoses.map((d) => d.code), code] };
    const answer = await run(() => api.PUT('/api/visits/{id}/diagnoses', { params, body }));
    if (answer) setSaid(answer);
  };
  const begin = (words: string) => void run(() => api.POST('/api/visits/{id}/runs', { params, body: { words } }));
  const drafts = chart.orders.filter((o) => o.order.state === 'draft');
  const toAll = async () => {
    const codes = chart.diagnoses.map((d) => d.code);
    for (const o of drafts)
      await run(() => api.PUT('/api/orders/{id}/diagnoses', { params: { path: { id: o.order.id } }, body: { codes } }));
  };
  return (
    <>
      {chart.runs.map((one, i) => (
        <OneRun
          key={one.id}
          visit={visit}
          chart={chart}
          run={one}
          index={i}
          open={p.open}
          orders={p.orders}
          fixed={p.fixed}
        />
      ))}
      <Nowhere visit={visit} chart={chart} open={p.open} orders={p.orders} />
      {!p.fixed && (
        <div style={{ borderTop: hair, padding: `${space(2.5)} 0` }}>
          <Row style={{ alignItems: 'start' }}>
            <div style={{ flex: 1, minWidth: 0 }}>
              <FindProblem
                id="another-problem"
                label="Another problem"
                placeholder={
                  chart.runs.length === 0
                    ? 'What is it about? Words, or a piece of a code'
                    : 'Another problem: words, or a piece of a code'
                }
                onCode={(code) => void add(code)}
                {...(p.open && { onWords: begin })}
              />
            </div>
            {drafts.length > 1 && chart.diagnoses.length > 1 && (
              <Button onPress={() => void toAll()}>All orders to all</Button>
            )}
          </Row>
        </div>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {said?.stops.map((s) => (
        <Notice key={s} $tone="coral">
          {s}
        </Notice>
      ))}
      {said?.advice.slice(0, 3).map((s) => (
        <Small key={s}>{s}</Small>
      ))}
    </>
  );
}
