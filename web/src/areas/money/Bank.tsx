/** What came to the bank against what payers said that they pay: matched one to the other, and what differs is work. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { dollars, plainDate } from '../../app/words';
import { Button, Check, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Columns, Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { deposits } from './queries';

/** Puts down what the bank says. */
function Came() {
  const empty = { day: '', amount: '', reference: '' };
  const [typed, setTyped] = useState(empty);
  const [said, setSaid] = useState('');
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const done = await run(() => api.POST('/api/deposits', { body: typed }));
    if (!done) return;
    setTyped({ ...empty, day: typed.day });
    setSaid(
      done.matched ? 'Matched by its number and amount.' : 'No payment is it without doubt; say below which it is.',
    );
  };
  return (
    <Sheet>
      <Form refusal={refusal} onSave={add}>
        <Columns $min={part.field}>
          <Field
            label="Came on"
            name="day"
            value={typed.day}
            onChange={(day) => setTyped({ ...typed, day })}
            placeholder="11/20"
          />
          <Field
            label="Amount"
            name="amount"
            value={typed.amount}
            onChange={(amount) => setTyped({ ...typed, amount })}
            hint="With a minus where the bank took it."
          />
          <Field
            label="What the bank says"
            name="reference"
            value={typed.reference}
            onChange={(reference) => setTyped({ ...typed, reference })}
            placeholder="Payer, number of the payment"
          />
        </Columns>
        <Refused />
        <Row>
          <Small role="status">{said}</Small>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Put it down
          </Button>
        </Row>
      </Form>
    </Sheet>
  );
}

/** Why what is left of something is no payment, or does not come. */
function Why({ label, onSay }: { label: string; onSay: (reason: string) => void }) {
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState('');
  if (!open)
    return (
      <Button $kind="quiet" onPress={() => setOpen(true)}>
        {label}
      </Button>
    );
  return (
    <Row $align="end">
      <Field label="Why" name="reason" value={reason} onChange={setReason} autoFocus />
      <Button isDisabled={reason.trim() === ''} onPress={() => onSay(reason)}>
        Leave the rest
      </Button>
      <Button $kind="quiet" onPress={() => setOpen(false)}>
        Not yet
      </Button>
    </Row>
  );
}

const Parts = ({ parts }: { parts: Schemas['DepositedPart'][] }) =>
  parts.map((p) => (
    <div key={p.remittanceId}>
      <Small>
        {dollars(p.cents)} of {p.payer}, <Mono>{p.trace}</Mono>
      </Small>
    </div>
  ));

function Deposited({
  view: d,
  chosen,
  onMatch,
}: {
  view: Schemas['DepositView'];
  chosen: string[];
  onMatch: () => void;
}) {
  const { run, busy, refusal } = useDo();
  const path = { path: { id: d.deposit.id } };
  const match = async (remittanceIds: string[]) => {
    if (await run(() => api.POST('/api/deposits/{id}/match', { params: path, body: { remittanceIds } }))) onMatch();
  };
  const [first] = d.likely;
  return (
    <Sheet data-deposit={d.deposit.reference}>
      <Stack $gap={2}>
        <Row>
          <strong>
            <Mono>{dollars(d.openCents)}</Mono>
          </strong>
          {d.openCents !== d.deposit.cents && <Small>of {dollars(d.deposit.cents)}</Small>}
          <span>{plainDate(d.deposit.day)}</span>
          <Small>{d.deposit.reference}</Small>
        </Row>
        <Parts parts={d.parts} />
        {d.said.map((s) => (
          <Small key={s}>{s}</Small>
        ))}
        <Row>
          {chosen.length > 0 ? (
            <Button $kind="filled" isDisabled={busy} onPress={() => void match(chosen)}>
              {chosen.length === 1 ? 'It is the chosen payment' : `It is the ${chosen.length} chosen payments`}
            </Button>
          ) : (
            first && (
              <>
                <Button isDisabled={busy} onPress={() => void match([first.remittanceId])}>
                  It is {first.trace}
                </Button>
                <Small>
                  {first.payer}, {dollars(first.openCents)}: {first.agrees.join(' and ')} agree
                  {first.agrees.length === 1 ? 's' : ''}
                </Small>
              </>
            )
          )}
          <Why
            label="No payment of a payer"
            onSay={(reason) =>
              void run(() => api.POST('/api/deposits/{id}/explain', { params: path, body: { reason } }))
            }
          />
          {d.parts.length > 0 && (
            <Button
              $kind="quiet"
              isDisabled={busy}
              onPress={() => void run(() => api.POST('/api/deposits/{id}/apart', { params: path }))}
            >
              Take apart
            </Button>
          )}
        </Row>
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
      </Stack>
    </Sheet>
  );
}

function Expected(p: {
  view: Schemas['ExpectedView'];
  likely: boolean;
  chosen: boolean;
  onChoose: (on: boolean) => void;
}) {
  const { run } = useDo();
  const { remittance: r, openCents } = p.view;
  return (
    <tr data-expected={r.trace}>
      <td>
        <Check label={`${r.payerName}, ${r.trace}`} value={p.chosen} onChange={p.onChoose} />
      </td>
      <td>
        {plainDate(r.paidOn)} {p.view.overdue && <Tag $tone="coral">late</Tag>}
        {p.likely && <Tag $tone="tide">likely</Tag>}
      </td>
      <td className="number">
        <Mono>{dollars(openCents)}</Mono>
        {openCents !== r.amountCents && (
          <div>
            <Small>of {dollars(r.amountCents)}</Small>
          </div>
        )}
      </td>
      <td>
        <Why
          label="Does not come"
          onSay={(reason) =>
            void run(() =>
              api.POST('/api/remittances/{id}/explain', { params: { path: { id: r.id } }, body: { reason } }),
            )
          }
        />
      </td>
    </tr>
  );
}

export function Bank() {
  const look = useLook(deposits());
  const { run } = useDo();
  const [chosen, setChosen] = useState<string[]>([]);
  if (!look.data || unanswered(look)) return <Unanswered look={look} />;
  const { unmatched, expected, matched } = look.data;
  const there = chosen.filter((id) => expected.some((e) => e.remittance.id === id));
  const sum = expected.filter((e) => there.includes(e.remittance.id)).reduce((all, e) => all + e.openCents, 0);
  const likely = new Set(unmatched.flatMap((d) => d.likely.map((l) => l.remittanceId)));
  return (
    <Stack>
      <Came />
      <Columns $min={part.list}>
        <Stack as="section" aria-label="In the bank, not matched">
          <h2>In the bank, not matched</h2>
          {unmatched.length === 0 && <Empty>Everything that came is matched.</Empty>}
          {unmatched.map((d) => (
            <Deposited key={d.deposit.id} view={d} chosen={there} onMatch={() => setChosen([])} />
          ))}
        </Stack>
        <section aria-label="Paid, not in the bank">
          <Row>
            <h2>Paid, not in the bank</h2>
            <Spread />
            {there.length > 0 && (
              <span>
                chosen <Mono>{dollars(sum)}</Mono>
              </span>
            )}
          </Row>
          {expected.length === 0 && (
            <Empty>
              {matched.length + unmatched.length === 0
                ? 'From the first deposit on, payments whose money has not come stand here.'
                : 'All that payers paid has come.'}
            </Empty>
          )}
          {expected.length > 0 && (
            <Scroller>
              <Table>
                <tbody>
                  {expected.map((e) => (
                    <Expected
                      key={e.remittance.id}
                      view={e}
                      likely={likely.has(e.remittance.id)}
                      chosen={there.includes(e.remittance.id)}
                      onChoose={(on) =>
                        setChosen(on ? [...there, e.remittance.id] : there.filter((id) => id !== e.remittance.id))
                      }
                    />
                  ))}
                </tbody>
              </Table>
            </Scroller>
          )}
        </section>
      </Columns>
      {matched.length > 0 && (
        <section aria-label="Matched">
          <h2>Matched</h2>
          <Scroller>
            <Table>
              <tbody>
                {matched.map((d) => (
                  <tr key={d.deposit.id} data-matched={d.deposit.reference}>
                    <td>{plainDate(d.deposit.day)}</td>
                    <td className="number">
                      <Mono>{dollars(d.deposit.cents)}</Mono>
                    </td>
                    <td>{d.deposit.reference}</td>
                    <td>
                      <Parts parts={d.parts} />
                      {d.said.map((s) => (
                        <div key={s}>
                          <Small>{s}</Small>
                        </div>
                      ))}
                    </td>
                    <td>
                      <Button
                        $kind="quiet"
                        onPress={() =>
                          void run(() =>
                            api.POST('/api/deposits/{id}/apart', { params: { path: { id: d.deposit.id } } }),
                          )
                        }
                      >
                        Take apart
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        </section>
      )}
    </Stack>
  );
}
