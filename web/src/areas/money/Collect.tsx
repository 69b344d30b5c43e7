/** Taking a payment for a whole household: what is expected, how it is shared out, and what is then left. */

import { useState } from 'react';
import { api, Refusal, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { amountText, dollars } from '../../app/words';
import { Form, Refused } from '../../ui/Form';
import { Button, Choose, Field } from '../../ui/controls';
import { Columns, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { part, space } from '../../ui/tokens';
import { ReceiptStrip } from './Receipt';
import { collect } from './queries';
import { useWords } from '../../app/choices';

type Due = Schemas['DueView'];
interface Mean {
  method: string;
  amount: string | null;
  reference: string;
}

const fresh = (method = 'card'): Mean => ({ method, amount: null, reference: '' });
const keyOf = (d: Due) => `${d.personId}:${d.visitId ?? ''}`;

/** `propose`: when nothing is expected today, everything older or so many cents are proposed. */
export function Collect(p: {
  person: string;
  site: string;
  propose?: 'all' | number;
  onPaid?: () => void;
  focus?: boolean;
}) {
  const methods = useWords('methods');
  const may = useMay();
  const [means, setMeans] = useState<Mean[]>([fresh()]);
  const [shares, setShares] = useState<Record<string, string> | null>(null);
  // One key for one payment: however often it is sent, it pays once.
  const [key, setKey] = useState(() => crypto.randomUUID());
  const [receipt, setReceipt] = useState<Schemas['Receipt'] | null>(null);
  const { run, busy, refusal, forget } = useDo();
  const typedBefore = means.map((m) => m.amount);
  const first = useLook(collect(p.person, ''), may('take_money'));
  const older = p.propose === 'all' ? first.data?.olderCents : p.propose;
  const asked = first.data?.askedCents || (older ?? 0);
  const amounts = typedBefore.map((a, n) => a ?? (n === 0 && asked > 0 ? amountText(asked) : ''));
  const amount = amounts.filter((a) => a.trim()).join('+');
  const look = useLook(collect(p.person, amount), may('take_money') && first.data !== undefined);
  if (!may('take_money') || !first.data) return null;
  const shown = look.data ?? first.data;
  const set = (n: number, change: Partial<Mean>) =>
    setMeans(means.map((m, at) => (at === n ? { ...m, ...change } : m)));
  const shareOf = (d: Due) => shares?.[keyOf(d)] ?? amountText(d.shareCents);
  // What was asked about stays answered until something else is typed.
  const pay = async (sure: { chequeAgain?: boolean; moreThanOwed?: boolean } = {}) => {
    const body = {
      personId: p.person,
      siteId: p.site,
      key,
      chequeAgain: sure.chequeAgain ?? false,
      moreThanOwed: sure.moreThanOwed ?? false,
      means: means.map((m, n) => ({ method: m.method, amount: amounts[n] ?? '', reference: m.reference })),
      parts: shares
        ? shown.dues.map((d) => ({
            personId: d.personId,
            visitId: d.visitId ?? null,
            what: d.what,
            amount: shareOf(d),
          }))
        : null,
    };
    let found: Refusal | null = null;
    const given = await run(async () => {
      const answer = await api.POST('/api/payments', { body });
      if (answer.error) found = new Refusal(answer.error);
      return answer;
    });
    if ((found as Refusal | null)?.is('card-charged')) {
      // It was paid after all: what is proposed now is what is left.
      setKey(crypto.randomUUID());
      setMeans([fresh()]);
      setShares(null);
    }
    if (given) {
      setReceipt(given);
      setKey(crypto.randomUUID());
      // What else is owed is not proposed under a hand that presses twice.
      setMeans([{ ...fresh(), amount: '' }]);
      setShares(null);
      p.onPaid?.();
    }
  };
  return (
    <Form refusal={refusal} onSave={pay}>
      <Stack $gap={3}>
        {shown.dues.length > 0 && (
          <Scroller>
            <Table data-dues>
              <thead>
                <tr>
                  <th>For</th>
                  <th>What</th>
                  <th className="number">Owed</th>
                  <th className="number">Paid now</th>
                </tr>
              </thead>
              <tbody>
                {shown.dues.map((d) => (
                  <tr key={keyOf(d)} data-due={d.today ? 'today' : 'older'}>
                    <td>{d.name}</td>
                    <td>{d.words}</td>
                    <td className="number">
                      <Mono>{dollars(d.cents)}</Mono>
                    </td>
                    <td className="number">
                      {shares ? (
                        <Field
                          label={`Paid now for ${d.name}, ${d.words}`}
                          hideLabel
                          value={shareOf(d)}
                          onChange={(text) => setShares({ ...shares, [keyOf(d)]: text })}
                        />
                      ) : (
                        <Mono>{dollars(d.shareCents)}</Mono>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
        {means.map((m, n) => (
          <Columns key={n} $min={part.field}>
            <Field
              label={means.length > 1 ? `Amount ${n + 1}` : 'Amount'}
              name={n === 0 ? 'amount' : `amount${n}`}
              value={amounts[n] ?? ''}
              onChange={(text) => {
                set(n, { amount: text });
                // Another amount is another payment.
                setKey(crypto.randomUUID());
              }}
              fault={n === 0 ? look.error?.fault('amount') : undefined}
              autoFocus={n === 0 && p.focus}
            />
            <Choose
              label={means.length > 1 ? `Means ${n + 1}` : 'Means'}
              value={m.method}
              onChange={(method) => {
                set(n, { method });
                // Another means is another payment, whatever became of the first.
                setKey(crypto.randomUUID());
                forget();
              }}
              choices={methods}
            />
            {m.method !== 'card' && (
              <Field
                label={m.method === 'cheque' ? 'Cheque number' : 'Reference'}
                value={m.reference}
                onChange={(reference) => set(n, { reference })}
                name={n === 0 ? 'reference' : `reference${n}`}
              />
            )}
          </Columns>
        ))}
        {refusal && (refusal.is('cheque-again') || refusal.is('more-than-owed')) ? (
          <Notice $tone="brass" role="alert">
            <Row>
              <span>{refusal.message}</span>
              {refusal.is('cheque-again') && (
                <Button isDisabled={busy} onPress={() => void pay({ chequeAgain: true, moreThanOwed: true })}>
                  Yes, another cheque
                </Button>
              )}
              {refusal.is('more-than-owed') && (
                <Button isDisabled={busy} onPress={() => void pay({ moreThanOwed: true })}>
                  Yes, take it all
                </Button>
              )}
            </Row>
          </Notice>
        ) : (
          <Refused />
        )}
        <Row style={{ minHeight: space(8) }}>
          <Button $kind="quiet" onPress={() => setMeans([...means, fresh('cash')])}>
            Add another means
          </Button>
          {means.length > 1 && (
            <Button $kind="quiet" onPress={() => setMeans(means.slice(0, -1))}>
              One means less
            </Button>
          )}
          {shown.dues.length > 1 && (
            <Button $kind="quiet" onPress={() => setShares(shares ? null : {})}>
              {shares ? 'Share out by itself' : 'Share out by hand'}
            </Button>
          )}
          <Spread />
          {shown.creditCents > 0 && <Small>Credit on hand {dollars(shown.creditCents)}</Small>}
          {shown.amountInWords && <Small data-in-words>{shown.amountInWords}</Small>}
          {!shares && shown.overCents > 0 && (
            <Small>
              <b>{dollars(shown.overCents)}</b> more than is owed, kept as credit
            </Small>
          )}
          {!shares && (
            <Small data-new-balance>
              New balance <Mono>{dollars(shown.leftCents)}</Mono>
            </Small>
          )}
          <Button type="submit" isDisabled={busy}>
            Take payment
          </Button>
        </Row>
        {receipt && <ReceiptStrip key={receipt.number} receipt={receipt} />}
      </Stack>
    </Form>
  );
}
