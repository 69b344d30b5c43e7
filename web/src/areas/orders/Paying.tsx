/** Who pays the laboratory, and the specimen: said with a draft, shown with what was signed. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useTimes } from '../../app/words';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Stack } from '../../ui/layout';

type OrderView = Schemas['OrderView'];

/** Who pays in one line; nothing where it goes without saying. */
export function PaidBy({ order: o }: { order: OrderView }) {
  const payers = useWords('billTo');
  if (!o.payer) return null;
  const who = payers.find((b) => b.id === o.payer?.billTo)?.label ?? 'not said yet';
  const line = [
    `Paid by: ${o.payer.policy ?? who.toLowerCase()}`,
    o.payer.billTo === 'patient' && o.payer.responsible && `responsible: ${o.payer.responsible}`,
  ];
  return <Small style={{ display: 'block' }}>{line.filter(Boolean).join('; ')}</Small>;
}

/** Chosen with a draft: insurance with its policy, the patient, the clinic; and where the specimen is taken. */
export function Paying({ order: o }: { order: OrderView }) {
  const { run, refusal } = useDo();
  const payers = useWords('billTo');
  const places = useWords('takenWhere');
  const { payer } = o;
  if (!payer) return null;
  const insured = payer.policies.length > 0;
  const say = (body: Partial<Schemas['OrderPayerForm']>) => {
    const billTo = body.billTo ?? payer.billTo;
    if (!billTo) return;
    void run(() =>
      api.PUT('/api/orders/{id}/payer', {
        params: { path: { id: o.order.id } },
        body: { billTo, policy: o.order.coverageId ?? null, all: true, ...body },
      }),
    );
  };
  return (
    <Stack $gap={1} data-paying>
      <Small>Who pays the laboratory{payer.responsible ? `; responsible is ${payer.responsible}` : ''}</Small>
      <Choose
        label={`${o.order.testName}: who pays the laboratory`}
        hideLabel
        choices={insured ? payers : payers.filter((b) => b.id !== 'insurance')}
        value={payer.billTo ?? ''}
        onChange={(b) => say({ billTo: b as Schemas['BillTo'], policy: null })}
      />
      {!insured && <Small>No policy pays today.</Small>}
      {payer.billTo === 'insurance' && payer.policies.length > 1 && (
        <Pick
          label={`${o.order.testName}: policy`}
          choices={payer.policies}
          value={o.order.coverageId ?? null}
          onChange={(policy) => say({ policy })}
        />
      )}
      {payer.billTo && (
        <>
          <Small>The specimen is taken</Small>
          <Choose
            label={`${o.order.testName}: where the specimen is taken`}
            hideLabel
            choices={places}
            value={o.order.takenWhere}
            onChange={(w) => say({ takenWhere: w as Schemas['TakenWhere'] })}
          />
        </>
      )}
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </Stack>
  );
}

/** When it was taken and by whom, or into what it goes. */
export function SpecimenLine({ order: o }: { order: OrderView }) {
  const times = useTimes();
  const row = o.order;
  if (row.takenAt)
    return (
      <Small style={{ display: 'block' }}>
        Taken {times.full(row.takenAt)} {times.time(row.takenAt)} by {row.takenBy}
      </Small>
    );
  if (o.containers.length === 0) return null;
  return (
    <Small style={{ display: 'block' }} data-containers>
      {containersInWords(o.containers)}
    </Small>
  );
}

export const containersInWords = (all: Schemas['ContainerView'][]) =>
  all.map((c) => `${c.container || `${c.specimen}, container not listed`} (${c.tests.join(', ')})`).join(' · ');

/** That it was taken: now, or at the time that is typed. */
export function Taken({ id, again, close }: { id: string; again: boolean; close: () => void }) {
  const [at, setAt] = useState('');
  const { run, busy, refusal } = useDo();
  const taken = async () => {
    const done = await run(() => api.POST('/api/orders/{id}/specimen', { params: { path: { id } }, body: { at } }));
    if (done) close();
  };
  return (
    <Form refusal={refusal} onSave={taken}>
      <Stack $gap={1}>
        <Field
          name="at"
          label="Taken when"
          value={at}
          onChange={setAt}
          placeholder="now; or 8:05, yesterday 21:30"
          autoFocus
        />
        <Refused />
        <Row>
          <Button $kind="quiet" onPress={close}>
            Leave it
          </Button>
          <Button isDisabled={busy} type="submit">
            {again ? 'Put the time right' : 'Taken'}
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
