/** Order lanes: one lane per diagnosis, orders as chips lying in the lanes they belong to. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { Button, Field, Finder } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, corner, edgeWidth, hair, part, phone, space } from '../../ui/tokens';
import { labTests } from './queries';

type Chart = Schemas['ChartView'];
type OrderView = Schemas['OrderView'];

const Lane = styled.section`
  display: grid;
  grid-template-columns: ${part.lane} 1fr;
  gap: ${space(3)};
  padding: ${space(2.5)} 0;
  border-top: ${hair};
  min-height: ${space(15)};
  @media (max-width: ${phone}) {
    grid-template-columns: minmax(0, 1fr);
  }
  &[data-nowhere='true'] {
    background: ${color.brassGround};
    border-radius: ${corner};
    padding-inline: ${space(3)};
    border-top: 0;
  }
`;

const Chip = styled.div`
  display: inline-flex;
  align-items: center;
  gap: ${space(2)};
  padding: ${space(1)} ${space(2.5)};
  border: ${hair};
  border-left: ${edgeWidth} solid ${color.indigo};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: default;
  &[data-sent='true'] {
    border-left-color: ${color.kelp};
  }
  &[data-misfit='true'] {
    border-left-color: ${color.brass};
  }
`;

export function Orders({ view, chart }: { view: Schemas['VisitView']; chart: Chart }) {
  const stateWord = useWordOf('orderStates');
  const visit = view.card.visit.id;
  const may = useMay();
  const open = may('write_note') && !chart.signature;
  const [text, setText] = useState('');
  const { run, busy, refusal } = useDo();
  const found = useLook(labTests(text), text.trim().length > 0);
  const path = { params: { path: { id: visit } } };
  const place = (order: OrderView, codes: string[]) =>
    void run(() =>
      api.PUT('/api/orders/{id}/diagnoses', { params: { path: { id: order.order.id } }, body: { codes } }),
    );
  const toggle = (order: OrderView, n: number) => {
    const code = chart.diagnoses[n - 1]?.code;
    if (!code || !open) return;
    place(order, order.codes.includes(code) ? order.codes.filter((c) => c !== code) : [...order.codes, code]);
  };
  const drafts = chart.orders.filter((o) => o.order.state === 'draft');
  const chip = (o: OrderView, lane: string) => (
    <Chip
      key={o.order.id + lane}
      tabIndex={0}
      role="group"
      aria-label={`${o.order.testName}, ${stateWord(o.order.state)}; keys 1 to 9 put it under a diagnosis`}
      data-order={o.order.testCode}
      data-sent={o.order.state !== 'draft'}
      data-misfit={o.misfit != null}
      onKeyDown={(event) => {
        if (/^[1-9]$/.test(event.key)) toggle(o, Number(event.key));
      }}
    >
      <strong>{o.order.testName}</strong>
      <Small>{stateWord(o.order.state)}</Small>
      {open && o.order.state === 'draft' && (
        <Button
          $kind="quiet"
          aria-label={`Remove ${o.order.testName}`}
          onPress={() => void run(() => api.DELETE('/api/orders/{id}', { params: { path: { id: o.order.id } } }))}
        >
          ✕
        </Button>
      )}
    </Chip>
  );
  const nowhere = chart.orders.filter((o) => o.codes.length === 0);
  return (
    <Stack $gap={0}>
      <Sheet>
        <h2>Orders under their diagnoses</h2>
        {chart.orders.length === 0 && chart.diagnoses.length === 0 && (
          <Empty>
            Choose the visit’s diagnoses first; a new order then lies down under the one that usually carries it.
          </Empty>
        )}
        {nowhere.length > 0 && (
          <Lane data-nowhere>
            <div>
              <strong>Under no diagnosis</strong>
              <br />
              <Small>must be placed before sending</Small>
            </div>
            <Stack $gap={1}>
              {nowhere.map((o) => (
                <Row key={o.order.id} $gap={2}>
                  {chip(o, 'none')}
                  <Small>{o.order.placementReason}</Small>
                </Row>
              ))}
            </Stack>
          </Lane>
        )}
        {chart.diagnoses.map((d, i) => (
          <Lane key={d.code} aria-label={`Orders under ${d.title}`} data-lane={d.code}>
            <div>
              <Tag>{i + 1}</Tag> <Mono>{d.code}</Mono>
              <br />
              <Small>{d.title}</Small>
            </div>
            <Row $gap={2}>{chart.orders.filter((o) => o.codes.includes(d.code)).map((o) => chip(o, d.code))}</Row>
          </Lane>
        ))}
        {chart.orders
          .filter((o) => o.misfit)
          .map((o) => (
            <Notice key={o.order.id} $tone="brass" style={{ marginTop: space(2) }}>
              {o.misfit}
            </Notice>
          ))}
        {open && chart.diagnoses.length > 0 && chart.orders.length > 0 && (
          <Row style={{ marginTop: space(3) }}>
            <Small>With an order in focus, 1 to {chart.diagnoses.length} puts it into that lane or takes it out.</Small>
            <Spread />
            <Button
              onPress={() => {
                for (const o of drafts)
                  place(
                    o,
                    chart.diagnoses.map((d) => d.code),
                  );
              }}
            >
              All to all
            </Button>
          </Row>
        )}
      </Sheet>
      {open && (
        <Sheet>
          <h2>Order a test</h2>
          <Stack $gap={4}>
            <Finder
              label="Find a test"
              hideLabel
              value={text}
              onChange={setText}
              placeholder="Name, short name or code: potassium, lipids, A1c"
              items={text.trim().length > 0 ? (found.data ?? []) : []}
              keyOf={(t) => t.code}
              textOf={(t) => t.name}
              onTake={(t) => {
                setText('');
                void run(() => api.POST('/api/visits/{id}/orders', { ...path, body: { tests: [t.code] } }));
              }}
              render={(t) => (
                <>
                  {t.name}{' '}
                  <Small>
                    {t.short} · {t.specimen} · <Mono>{t.loinc}</Mono>
                  </Small>
                </>
              )}
            />
            {drafts
              .filter((o) => o.questions.length > 0)
              .map((o) => (
                <Questions key={o.order.id} order={o} />
              ))}
            {refusal && (
              <Notice $tone="coral" role="alert">
                {refusal.message}
              </Notice>
            )}
            <Row>
              <Spread />
              <Button
                $kind="filled"
                isDisabled={busy || drafts.length === 0}
                onPress={() => void run(() => api.POST('/api/visits/{id}/orders/send', path))}
              >
                {drafts.length > 0 ? `Sign and send ${drafts.length}` : 'Sign and send'}
              </Button>
            </Row>
          </Stack>
        </Sheet>
      )}
    </Stack>
  );
}

function Questions({ order }: { order: OrderView }) {
  const [answers, setAnswers] = useState<Record<string, string>>(
    Object.fromEntries(
      order.questions.map((q) => [q, order.order.answers.find((a) => a.question === q)?.answer ?? '']),
    ),
  );
  const { run } = useDo();
  const save = () =>
    void run(() =>
      api.PUT('/api/orders/{id}/answers', {
        params: { path: { id: order.order.id } },
        body: Object.entries(answers).map(([question, answer]) => ({ question, answer })),
      }),
    );
  return (
    <Stack $gap={2}>
      {order.questions.map((q) => (
        <Field
          key={q}
          label={`${order.order.testName}: ${q}`}
          value={answers[q] ?? ''}
          onChange={(value) => setAnswers((all) => ({ ...all, [q]: value }))}
          onBlur={save}
        />
      ))}
    </Stack>
  );
}
