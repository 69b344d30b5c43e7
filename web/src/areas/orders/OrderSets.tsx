/** What is ordered together, and what one orders most: taken with one press, a set whole or in part. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { Button, Check, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { orderables, orderSets } from './queries';

type OrderSet = Schemas['OrderSetView'];

export function OrderSets(p: {
  person: string;
  /** What was taken is on its way: a second press would order it twice. */
  busy: boolean;
  onTake: (codes: string[]) => void;
}) {
  const { person, busy, onTake } = p;
  const sets = useLook(orderSets());
  const most = useLook(orderables('', person));
  const [open, setOpen] = useState<string | null>(null);
  const opened = sets.data?.find((s) => s.id === open);
  const favourites = most.data ?? [];
  const all = sets.data ?? [];
  if (favourites.length === 0 && all.length === 0) return null;
  return (
    <Stack $gap={1} data-order-sets>
      <Row $gap={1} style={{ flexWrap: 'wrap' }}>
        {favourites.length > 0 && <Small>Often:</Small>}
        {favourites.map((o) => (
          <Button
            key={o.code}
            $kind="quiet"
            isDisabled={busy}
            aria-label={`${o.short}: order ${o.name}${o.already ? `; ${o.already}` : ''}`}
            onPress={() => onTake([o.code])}
          >
            <span title={[o.name, o.already].filter(Boolean).join(': ')}>
              {o.short}
              {o.already && <span aria-hidden> ◷</span>}
            </span>
          </Button>
        ))}
      </Row>
      {all.length > 0 && (
        <Row $gap={1} style={{ flexWrap: 'wrap' }}>
          <Small>Sets:</Small>
          {all.map((s) => (
            <Button
              key={s.id}
              $kind="quiet"
              aria-expanded={s.id === open}
              onPress={() => setOpen(s.id === open ? null : s.id)}
            >
              {s.name}
            </Button>
          ))}
        </Row>
      )}
      {opened && (
        <Opened
          key={opened.id}
          set={opened}
          busy={busy}
          take={(codes) => {
            onTake(codes);
            setOpen(null);
          }}
          close={() => setOpen(null)}
        />
      )}
    </Stack>
  );
}

function Opened(p: { set: OrderSet; busy: boolean; take: (codes: string[]) => void; close: () => void }) {
  const { set, take, close } = p;
  const may = useMay();
  const [left, setLeft] = useState<string[]>([]);
  const [dropping, setDropping] = useState(false);
  const { run, busy, refusal } = useDo();
  const chosen = set.items.filter((i) => !left.includes(i.code));
  const drop = async () => {
    if (await run(() => api.DELETE('/api/order-sets/{id}', { params: { path: { id: set.id } } }))) close();
  };
  return (
    <Stack $gap={1} data-order-set={set.name}>
      <Row $gap={3} style={{ flexWrap: 'wrap' }}>
        {set.items.map((i) => (
          <Check
            key={i.code}
            label={i.name}
            value={!left.includes(i.code)}
            onChange={(on) => setLeft(on ? left.filter((c) => c !== i.code) : [...left, i.code])}
          />
        ))}
      </Row>
      {set.gone.length > 0 && <Small>Not in the list any more: {set.gone.join(', ')}.</Small>}
      {refusal && <Small role="alert">{refusal.message}</Small>}
      <Row>
        {(set.own || may('write_note')) &&
          (dropping ? (
            <Button $kind="stop" isDisabled={busy} onPress={() => void drop()}>
              Take the set {set.name} away
            </Button>
          ) : (
            <Button $kind="quiet" onPress={() => setDropping(true)}>
              Take away
            </Button>
          ))}
        <Small>{set.own ? 'Your own' : 'Of the clinic'}</Small>
        <Spread />
        <Button isDisabled={p.busy || chosen.length === 0} onPress={() => take(chosen.map((i) => i.code))}>
          Order {chosen.length} of {set.name}
        </Button>
      </Row>
    </Stack>
  );
}

/** Keeps what is ordered here under a name. */
export function KeepSet({ codes }: { codes: string[] }) {
  const may = useMay();
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState('');
  const [clinic, setClinic] = useState(false);
  const { run, busy, refusal } = useDo();
  if (!naming)
    return (
      <Button $kind="quiet" onPress={() => setNaming(true)}>
        Keep as a set
      </Button>
    );
  const keep = async () => {
    const done = await run(() =>
      api.PUT('/api/order-sets/{id}', {
        params: { path: { id: crypto.randomUUID() } },
        body: { name, items: codes, clinic },
      }),
    );
    if (done) setNaming(false);
  };
  return (
    <Form refusal={refusal} onSave={keep}>
      <Stack $gap={1}>
        <Field name="name" label={`Name of the set of ${codes.length}`} value={name} onChange={setName} autoFocus />
        {may('write_note') && <Check label="For the whole clinic" value={clinic} onChange={setClinic} />}
        <Refused />
        <Row>
          <Button $kind="quiet" onPress={() => setNaming(false)}>
            Leave it
          </Button>
          <Button isDisabled={busy || name.trim() === ''} type="submit">
            Keep
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
