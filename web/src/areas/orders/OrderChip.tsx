/** One order as a chip in its lane: its state, the keys that move it, its questions and what does not fit. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { Button, Field } from '../../ui/controls';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { color, corner, hair, space, stroke } from '../../ui/tokens';
import { TakeBack } from './OpenOrders';

type Chart = Schemas['ChartView'];
type OrderView = Schemas['OrderView'];

/** A kept fact in the margin: told apart from typed words by its edge. */
export const Chip = styled.div`
  padding: ${space(0.5)} ${space(2)};
  border: ${hair};
  border-left: ${stroke.thick} solid ${color.brass};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: default;
  &[data-sent='true'] {
    border-left-color: ${color.kelp};
  }
`;

/** Lays an order under these diagnoses and no other. */
export function usePlace() {
  const { run, refusal } = useDo();
  const place = (order: OrderView, codes: string[]) =>
    void run(() =>
      api.PUT('/api/orders/{id}/diagnoses', { params: { path: { id: order.order.id } }, body: { codes } }),
    );
  return { place, refusal };
}

export function OrderChip({ order: o, chart, open }: { order: OrderView; chart: Chart; open: boolean }) {
  const stateWord = useWordOf('orderStates');
  const writes = useMay()('write_note');
  const { run, refusal } = useDo();
  const { place } = usePlace();
  const draft = o.order.state === 'draft';
  const [back, setBack] = useState(false);
  const toggle = (n: number) => {
    const code = chart.diagnoses[n - 1]?.code;
    if (!code || !open) return;
    place(o, o.codes.includes(code) ? o.codes.filter((c) => c !== code) : [...o.codes, code]);
  };
  return (
    <Chip
      tabIndex={0}
      role="group"
      aria-label={`${o.order.testName}, ${stateWord(o.order.state)}; keys 1 to 9 put it under a diagnosis`}
      data-order={o.order.testCode}
      data-sent={!draft}
      data-misfit={o.misfit != null}
      title={o.order.placementReason}
      onKeyDown={(event) => {
        if (event.target === event.currentTarget && /^[1-9]$/.test(event.key)) toggle(Number(event.key));
      }}
    >
      <Row $gap={2} style={{ flexWrap: 'nowrap' }}>
        <span style={{ minWidth: 0 }}>{o.order.testName}</span>
        <Spread />
        <Small style={{ whiteSpace: 'nowrap' }}>{stateWord(o.order.state)}</Small>
        {open && draft && (
          <Button
            $kind="quiet"
            aria-label={`Remove ${o.order.testName}`}
            onPress={() => void run(() => api.DELETE('/api/orders/{id}', { params: { path: { id: o.order.id } } }))}
          >
            ✕
          </Button>
        )}
      </Row>
      {o.order.stateReason && <Small>{o.order.stateReason}</Small>}
      {o.open && writes && !back && (
        <Button $kind="quiet" aria-label={`Take back ${o.order.testName}`} onPress={() => setBack(true)}>
          Take back
        </Button>
      )}
      {back && <TakeBack o={o.order} close={() => setBack(false)} />}
      {o.misfit && o.order.state !== 'cancelled' && <Small>{o.misfit}</Small>}
      {o.codes.length === 0 && o.order.placementReason && <Small>{o.order.placementReason}</Small>}
      {open && draft && o.questions.length > 0 && <Questions order={o} />}
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </Chip>
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
