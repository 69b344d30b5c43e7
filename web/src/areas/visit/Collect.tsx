/** Taking a payment: the expected amount, what is left while it is typed, and a receipt. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button, Choose, Dialog, Field } from '../../ui/controls';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Table } from '../../ui/layout';
import { part, space } from '../../ui/tokens';

const methods = [
  { id: 'card', label: 'Card' },
  { id: 'cash', label: 'Cash' },
  { id: 'cheque', label: 'Cheque' },
  { id: 'transfer', label: 'Transfer' },
];

const Paper = styled.div`
  padding: ${space(2)} 0;
`;

function ReceiptView({ receipt, onClose }: { receipt: Schemas['Receipt']; onClose: () => void }) {
  const times = useTimes();
  return (
    <Dialog title="Receipt" open onClose={onClose}>
      <Paper data-print="sheet" id="receipt">
        <Stack>
          <strong>{receipt.clinic}</strong>
          <Table>
            <tbody>
              <tr>
                <td>Received from</td>
                <td>{receipt.patient}</td>
              </tr>
              <tr>
                <td>Amount</td>
                <td className="number">{dollars(receipt.cents)}</td>
              </tr>
              <tr>
                <td>By</td>
                <td>{receipt.memo}</td>
              </tr>
              <tr>
                <td>On</td>
                <td>
                  {times.full(receipt.at)} {times.time(receipt.at)}, taken by {receipt.by}
                </td>
              </tr>
            </tbody>
          </Table>
          <Small>
            Receipt <Mono>{receipt.number}</Mono>
          </Small>
        </Stack>
      </Paper>
      <Row data-print="off">
        <Spread />
        <Button onPress={() => window.print()}>Print</Button>
        <Button $kind="filled" onPress={onClose}>
          Done
        </Button>
      </Row>
    </Dialog>
  );
}

export function Collect(p: { visit: string; suggested: string; olderCents?: number; onPaid?: () => void }) {
  const may = useMay();
  const [amount, setAmount] = useState<string | null>(null);
  const [method, setMethod] = useState('card');
  const [reference, setReference] = useState('');
  // One key for one payment: however often it is sent, it pays once.
  const [key, setKey] = useState(() => crypto.randomUUID());
  const [receipt, setReceipt] = useState<Schemas['Receipt'] | null>(null);
  const { run, busy, refusal } = useDo();
  const typed = amount ?? p.suggested;
  if (!may('take_money')) return null;
  const pay = async () => {
    const given = await run(() =>
      api.POST('/api/visits/{id}/payments', {
        params: { path: { id: p.visit } },
        body: { amount: typed, method, reference, key },
      }),
    );
    if (given) {
      setReceipt(given);
      setKey(crypto.randomUUID());
      setAmount('');
      setReference('');
      p.onPaid?.();
    }
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void pay();
      }}
    >
      <Stack>
        <Columns $min={part.field}>
          <Field label="Amount" name="amount" value={typed} onChange={setAmount} fault={refusal?.fault('amount')} />
          <Choose label="Means" value={method} onChange={setMethod} choices={methods} />
          {method !== 'card' && (
            <Field
              label={method === 'cheque' ? 'Cheque number' : 'Reference'}
              value={reference}
              onChange={setReference}
              fault={refusal?.fault('reference')}
            />
          )}
        </Columns>
        {refusal && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        <Row>
          <Spread />
          <Button type="submit" isDisabled={busy}>
            Take payment
          </Button>
        </Row>
      </Stack>
      {receipt && <ReceiptView receipt={receipt} onClose={() => setReceipt(null)} />}
    </form>
  );
}
