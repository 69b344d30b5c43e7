/** Orders of a person without a visit: made, placed under a problem, signed and followed here. */

import { useState } from 'react';
import { api, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useMay } from '../../app/session';
import { Button, Pick } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { FindOrderable } from './FindOrderable';
import { OrderChip } from './OrderChip';
import { KeepSet, OrderSets } from './OrderSets';
import { Repeats } from './Repeats';
import { ordersOf } from './queries';

export function PersonOrders({ person }: { person: string }) {
  const may = useMay();
  const signs = may('write_note');
  const look = useLook(ordersOf(person));
  const { clinicians } = useChoices();
  const [clinician, setClinician] = useState('');
  const { run, busy, refusal } = useDo();
  if (!look.data) return unanswered(look) ? <Unanswered look={look} rows={2} /> : null;
  const { orders, problems, repeats } = look.data;
  const drafts = orders.filter((o) => o.order.state === 'draft');
  const order = (items: string[]) =>
    void run(() =>
      api.POST('/api/people/{id}/orders', {
        params: { path: { id: person } },
        body: { items, ...(!signs && { clinician }) },
      }),
    );
  const sign = () => void run(() => api.POST('/api/orders/signed', { body: { ids: drafts.map((o) => o.order.id) } }));
  return (
    <Stack $gap={2} data-person-orders>
      {may('prepare_orders') && (
        <Row style={{ alignItems: 'end' }}>
          {!signs && <Pick label="For whom to sign" choices={clinicians} value={clinician} onChange={setClinician} />}
          <div style={{ flex: 1, minWidth: 0 }}>
            <FindOrderable person={person} onTake={(item) => order([item])} />
          </div>
        </Row>
      )}
      {may('prepare_orders') && <OrderSets person={person} busy={busy} onTake={order} />}
      <Repeats person={person} repeats={repeats} />
      {problems.length > 0 && orders.some((o) => o.codes.length === 0) && (
        <Small>
          {problems.slice(0, 9).map((p, i) => (
            <span key={p.code}>
              {i > 0 && ' · '}
              {i + 1} {p.title}
            </span>
          ))}
        </Small>
      )}
      {orders.map((o) => (
        <OrderChip key={o.order.id} order={o} diagnoses={problems} open={may('prepare_orders')} />
      ))}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {signs && drafts.length > 0 && (
        <Row>
          {drafts.length > 1 && <KeepSet codes={drafts.map((o) => o.order.testCode)} />}
          <Spread />
          <Button $kind="filled" isDisabled={busy} onPress={sign}>
            Sign {drafts.length} {drafts.length === 1 ? 'order' : 'orders'}
          </Button>
        </Row>
      )}
    </Stack>
  );
}
