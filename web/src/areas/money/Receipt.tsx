/** A receipt: shown after a payment, and again whenever somebody asks for it. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Mono, Notice, Row, Small, Spread, Table } from '../../ui/layout';

type Receipt = Schemas['Receipt'];

const kinds: Record<string, string> = { payment: 'Receipt', void: 'Payment taken back', refund: 'Money given back' };
const verbs: Record<string, string> = { payment: 'Received from', void: 'Taken back for', refund: 'Given back to' };

export const meansOf = (r: Receipt) =>
  r.means.map((m) => `${dollars(Math.abs(m.cents))} ${m.method} ${m.reference}`.trim()).join(', ');

/** What was just taken, in place: nobody has to close anything before the next patient. */
export function ReceiptStrip({ receipt: r }: { receipt: Receipt }) {
  const [shown, setShown] = useState(false);
  return (
    <Notice $tone="kelp" role="status" data-receipt={r.receiptNumber}>
      <Row>
        <span>
          Receipt {r.receiptNumber}: {meansOf(r)} from {r.payer}. Left to pay then {dollars(r.leftCents)}.
        </span>
        <Spread />
        <Row $gap={2}>
          <Button onPress={() => setShown(true)}>Show or send</Button>
          <Button onPress={() => print(r)}>Print</Button>
        </Row>
      </Row>
      {shown && <ReceiptDialog receipt={r} onClose={() => setShown(false)} />}
    </Notice>
  );
}

const print = (r: Receipt) => window.open(`/api/payments/${r.number}/paper`, '_blank');

export function ReceiptDialog({ receipt: r, onClose }: { receipt: Receipt; onClose: () => void }) {
  const times = useTimes();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const [sent, setSent] = useState('');
  const [takingBack, setTakingBack] = useState(false);
  const [reason, setReason] = useState('');
  const path = { params: { path: { id: r.number } } };
  const send = async (again: boolean) => {
    const message = await run(() => api.POST('/api/payments/{id}/send', { ...path, body: { again } }));
    if (message) setSent(`Sent by ${message.channel === 'email' ? 'e-mail' : 'text message'} to ${message.reach}.`);
  };
  const takeBack = async () => {
    if (await run(() => api.POST('/api/payments/{id}/void', { ...path, body: { reason } }))) onClose();
  };
  return (
    <Dialog title={`${kinds[r.kind] ?? 'Receipt'} ${r.receiptNumber}`} open onClose={onClose}>
      <Form refusal={refusal}>
        <Table>
          <tbody>
            <tr>
              <td>{verbs[r.kind] ?? 'Received from'}</td>
              <td>{r.payer}</td>
            </tr>
            <tr>
              <td>Amount</td>
              <td className="number">
                <Mono>{dollars(Math.abs(r.cents))}</Mono>
              </td>
            </tr>
            <tr>
              <td>By</td>
              <td>{meansOf(r)}</td>
            </tr>
            <tr>
              <td>On</td>
              <td>
                {times.full(r.at)} {times.time(r.at)}, by {r.by}
              </td>
            </tr>
            {r.parts.map((p, n) => (
              <tr key={n} data-receipt-part>
                <td>{p.name}</td>
                <td>
                  <Row>
                    <span>{p.words}</span>
                    <Spread />
                    <Mono>{dollars(Math.abs(p.cents))}</Mono>
                  </Row>
                </td>
              </tr>
            ))}
            <tr>
              <td>Left to pay then</td>
              <td className="number">
                <Mono>{dollars(r.leftCents)}</Mono>
              </td>
            </tr>
          </tbody>
        </Table>
        {r.reason && <Small>Reason: {r.reason}</Small>}
        {r.takenBack && <Notice $tone="coral">Taken back: {r.takenBack}</Notice>}
        <Refused />
        {sent && <Notice $tone="kelp">{sent}</Notice>}
        {takingBack && (
          <Row $align="end">
            <Field name="reason" label="Why it is taken back" value={reason} onChange={setReason} autoFocus />
            <Button $kind="stop" isDisabled={busy} onPress={() => void takeBack()}>
              Take {dollars(r.cents)} back
            </Button>
          </Row>
        )}
        <Row>
          {may('take_money') && r.kind === 'payment' && !r.takenBack && !takingBack && (
            <Button $kind="quiet" onPress={() => setTakingBack(true)}>
              Take back
            </Button>
          )}
          <Spread />
          {may('take_money') && (
            <Button isDisabled={busy} onPress={() => void send(refusal?.is('sent-before') ?? false)}>
              {refusal?.is('sent-before') ? 'Send it once more' : 'Send'}
            </Button>
          )}
          <Button onPress={() => print(r)}>Print</Button>
          <Button $kind="filled" autoFocus onPress={onClose}>
            Done
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
