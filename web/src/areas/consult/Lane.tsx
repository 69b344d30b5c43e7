/** The margin of a run: the orders and prescriptions that lie under its diagnosis, opened and changed in place. */

import { useEffect, useRef, useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { Chip, OrderChip } from '../orders/OrderChip';
import { FindOrderable } from '../orders/FindOrderable';
import { OrderSets } from '../orders/OrderSets';
import { Draft } from '../prescribing/Draft';
import { One } from '../prescribing/Prescriptions';
import { FindMedicine } from '../prescribing/FindMedicine';

type Chart = Schemas['ChartView'];
type Product = Schemas['ProductView'];

/** What is open below the words of a run. */
export type Opened = { order: true } | { prescribe: true } | { prescription: string } | null;

export function Margin(p: {
  chart: Chart;
  /** The code of the run; null for what lies under no diagnosis. */
  code: string | null;
  open: boolean;
  /** Orders may be prepared here, also by who does not sign. */
  orders: boolean;
  opened: Opened;
  setOpened: (opened: Opened) => void;
}) {
  const wordOf = useWordOf('prescriptionStates');
  const orders = p.chart.orders.filter((o) => (p.code === null ? o.codes.length === 0 : o.codes.includes(p.code)));
  const scripts = p.chart.prescriptions.filter((x) => (x.diagnosis ?? null) === p.code);
  return (
    <Stack $gap={1}>
      {orders.map((o) => (
        <OrderChip key={o.order.id} order={o} diagnoses={p.chart.diagnoses} open={p.orders} />
      ))}
      {scripts.map((x) => (
        <Chip key={x.id} data-script={x.productCode} data-sent={x.state !== 'draft'}>
          <Row $gap={2}>
            <Button
              $kind="quiet"
              style={{ marginLeft: `-${space(2)}`, whiteSpace: 'normal', textAlign: 'left' }}
              aria-expanded={p.opened !== null && 'prescription' in p.opened && p.opened.prescription === x.id}
              onPress={() => p.setOpened({ prescription: x.id })}
            >
              {x.medicine}
            </Button>
            <Spread />
            <Small style={{ whiteSpace: 'nowrap' }}>{wordOf(x.state)}</Small>
          </Row>
          <Small>{x.instructions}</Small>
        </Chip>
      ))}
      {p.orders && p.code !== null && (
        <Row $gap={1}>
          <Button $kind="quiet" onPress={() => p.setOpened({ order: true })}>
            Order
          </Button>
          {p.open && (
            <Button $kind="quiet" onPress={() => p.setOpened({ prescribe: true })}>
              Prescribe
            </Button>
          )}
        </Row>
      )}
    </Stack>
  );
}

function OrderHere(p: { visit: string; person: string; code: string | null; close: () => void }) {
  const { run, busy, refusal } = useDo();
  const order = (items: string[]) =>
    void run(() =>
      api.POST('/api/visits/{id}/orders', { params: { path: { id: p.visit } }, body: { items, under: p.code } }),
    );
  return (
    <Stack $gap={2}>
      <FindOrderable person={p.person} autoFocus onBlank={p.close} onTake={(item) => order([item])} />
      <OrderSets person={p.person} busy={busy} onTake={order} />
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
    </Stack>
  );
}

function PrescribeHere(p: {
  visit: string;
  chart: Chart;
  code: string | null;
  close: () => void;
  show: (prescription: string) => void;
}) {
  const [product, setProduct] = useState<Product | null>(null);
  if (product)
    return (
      <Draft
        key={product.code}
        product={product}
        place={{ visit: p.visit }}
        diagnoses={p.chart.diagnoses}
        under={p.code}
        onDone={(added) => (added ? p.show(added) : p.close())}
      />
    );
  return <FindMedicine label="Find a medicine" autoFocus onBlank={p.close} onTake={setProduct} />;
}

/** What was opened in a run, in its place; Esc closes it, and what was typed elsewhere stays. */
export function OpenedHere(p: Opening & { opened: Opened }) {
  if (p.opened === null) return null;
  return <Open {...p} key={'prescription' in p.opened ? p.opened.prescription : 'new'} opened={p.opened} />;
}

interface Opening {
  visit: string;
  chart: Chart;
  code: string | null;
  open: boolean;
  setOpened: (opened: Opened) => void;
}

function Open(p: Opening & { opened: NonNullable<Opened> }) {
  const { opened } = p;
  // It stands before its chip: the hands go in, and when it is closed back to where they were.
  const [from] = useState(() => document.activeElement);
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!place.current?.contains(document.activeElement)) place.current?.focus();
  }, []);
  const item = 'prescription' in opened ? p.chart.prescriptions.find((x) => x.id === opened.prescription) : undefined;
  // Sent, its button is gone: the hands stay here.
  useEffect(() => {
    if (document.activeElement === document.body) place.current?.focus();
  }, [item?.state]);
  const close = () => {
    p.setOpened(null);
    if (from instanceof HTMLElement && from.isConnected) from.focus();
  };
  return (
    <Stack
      ref={place}
      tabIndex={-1}
      data-opened-here
      data-innermost
      style={{ outline: 'none' }}
      onKeyDown={(event) => {
        if (event.key === 'Escape') close();
      }}
    >
      <Row style={{ alignItems: 'start', flexWrap: 'nowrap' }}>
        <div style={{ flex: 1, minWidth: 0 }}>
          {'order' in opened && <OrderHere visit={p.visit} person={p.chart.person.id} code={p.code} close={close} />}
          {'prescribe' in opened && (
            <PrescribeHere
              visit={p.visit}
              chart={p.chart}
              code={p.code}
              close={close}
              show={(prescription) => p.setOpened({ prescription })}
            />
          )}
          {item && (
            <One
              key={item.id}
              item={item}
              chart={p.chart}
              visit={p.visit}
              open={p.open}
              show={(prescription) => p.setOpened({ prescription })}
            />
          )}
        </div>
        <Button $kind="quiet" aria-label="Close what is open here" onPress={close}>
          ✕
        </Button>
      </Row>
    </Stack>
  );
}
