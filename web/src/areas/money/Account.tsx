/** What a person owes, by whom and how old; each visit opens into its explanation; payments made; credit. */

import { Unanswered } from '../../ui/Unanswered';
import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { amountText, dollars, owed, useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { River } from '../../ui/River';
import { part } from '../../ui/tokens';
import { ChargeAlone } from '../charges/Alone';
import { Collect } from './Collect';
import { meansOf, ReceiptDialog } from './Receipt';
import { account, payments } from './queries';

function Owed({ owed, ages }: { owed: Schemas['Owed'][]; ages: string[] }) {
  return (
    <Scroller>
      <Table data-owed>
        <thead>
          <tr>
            <th>Who owes</th>
            {ages.map((a) => (
              <th key={a} className="number">
                {a}
              </th>
            ))}
            <th className="number">Together</th>
          </tr>
        </thead>
        <tbody>
          {owed.map((o) => (
            <tr key={o.who}>
              <td>{o.who}</td>
              {o.agesCents.map((c, n) => (
                <td key={n} className="number">
                  <Mono>{c === 0 ? '–' : dollars(c)}</Mono>
                </td>
              ))}
              <td className="number">
                <Mono>
                  <b>{dollars(o.cents)}</b>
                </Mono>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}

function OpenVisit({ visit: v, person, credit }: { visit: Schemas['OpenVisit']; person: string; credit: number }) {
  const times = useTimes();
  const navigate = useNavigate();
  const may = useMay();
  const [open, setOpen] = useState(false);
  const [giving, setGiving] = useState(false);
  const [key, setKey] = useState(() => crypto.randomUUID());
  const { run, busy, refusal } = useDo();
  const day = times.full(v.startsAt);
  const keepOrUse = async (fromPersonId: string | null) => {
    const path = { params: { path: { id: v.visitId } } };
    if (await run(() => api.POST('/api/visits/{id}/credit', { ...path, body: { fromPersonId, key } })))
      setKey(crypto.randomUUID());
  };
  return (
    <Stack $gap={2} data-open-visit>
      <Row>
        <Mono>{times.full(v.startsAt)}</Mono>
        <span>{v.reason}</span>
        <Spread />
        <Small>patient</Small>
        <Mono>{owed(v.patientOwesCents)}</Mono>
        <Small>payer</Small>
        <Mono>{dollars(v.payerOwesCents)}</Mono>
        <Button
          aria-expanded={open}
          aria-label={`Why ${owed(v.patientOwesCents + v.payerOwesCents)} is owed for ${times.full(v.startsAt)}`}
          onPress={() => setOpen(!open)}
        >
          {open ? 'Fold' : 'Why'}
        </Button>
      </Row>
      {may('take_money') && credit > 0 && v.patientOwesCents > 0 && (
        <Row>
          <Spread />
          <Button isDisabled={busy} aria-label={`Use the credit for ${day}`} onPress={() => void keepOrUse(person)}>
            Use the credit
          </Button>
        </Row>
      )}
      {v.overpaidCents > 0 && (
        <Row data-overpaid>
          <Small>{dollars(v.overpaidCents)} more was paid than is owed for this visit.</Small>
          <Spread />
          {may('give_back') && (
            <Button $kind="quiet" aria-label={`Give back for ${day}`} onPress={() => setGiving(true)}>
              Give back
            </Button>
          )}
          {may('take_money') && (
            <Button isDisabled={busy} aria-label={`Keep as credit: ${day}`} onPress={() => void keepOrUse(null)}>
              Keep as credit
            </Button>
          )}
        </Row>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {giving && (
        <GiveBack person={person} visit={v.visitId} heldCents={v.overpaidCents} onClose={() => setGiving(false)} />
      )}
      {open && (
        <>
          <River parts={v.river.parts} />
          <Row>
            <Spread />
            <Button $kind="quiet" onPress={() => navigate(`/visits/${v.visitId}/money`)}>
              Every entry of this visit
            </Button>
          </Row>
        </>
      )}
    </Stack>
  );
}

/** From the credit, or from what was paid too much for a visit. */
function GiveBack(p: { person: string; visit?: string; heldCents: number; onClose: () => void }) {
  const { site } = useSession();
  const [amount, setAmount] = useState(amountText(p.heldCents));
  const [method, setMethod] = useState('card');
  const [reference, setReference] = useState('');
  const [reason, setReason] = useState('');
  const [key] = useState(() => crypto.randomUUID());
  const { run, busy, refusal } = useDo();
  const give = async () => {
    const siteId = site?.id ?? '';
    const body = { siteId, visitId: p.visit ?? null, amount, method, reference, reason, key };
    if (await run(() => api.POST('/api/people/{id}/refunds', { params: { path: { id: p.person } }, body })))
      p.onClose();
  };
  return (
    <Dialog title="Give money back" open onClose={p.onClose}>
      <Form refusal={refusal}>
        <p>
          {p.visit
            ? `${dollars(p.heldCents)} more was paid than is owed for this visit.`
            : `The clinic holds ${dollars(p.heldCents)} as credit.`}
        </p>
        <Columns $min={part.field}>
          <Field name="amount" label="Amount" value={amount} onChange={setAmount} autoFocus />
          <Choose
            label="Means"
            value={method}
            onChange={setMethod}
            choices={['card', 'cash', 'cheque', 'transfer'].map((id) => ({ id, label: id }))}
          />
          {method !== 'card' && (
            <Field
              name="reference"
              label={method === 'cheque' ? 'Cheque number' : 'Reference'}
              value={reference}
              onChange={setReference}
            />
          )}
          <Field name="reason" label="Reason" value={reason} onChange={setReason} />
        </Columns>
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" isDisabled={busy} onPress={() => void give()}>
            Give {amount} back
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

/** Payments of a person, each to be shown, printed or taken back again. */
export function Payments({ person }: { person: string }) {
  const times = useTimes();
  const [shown, setShown] = useState<Schemas['Receipt'] | null>(null);
  const look = useLook(payments(person));
  if (!look.data || look.data.length === 0) return null;
  const word: Record<string, string> = { payment: 'paid', void: 'taken back', refund: 'given back' };
  return (
    <Stack $gap={2}>
      <h3>Payments</h3>
      {look.data.map((r) => (
        <Row key={r.number} data-payment={r.kind}>
          <Mono>{times.full(r.at)}</Mono>
          <Tag $tone={r.kind === 'payment' && !r.takenBack ? 'kelp' : 'brass'}>
            {r.takenBack ? 'paid, taken back' : word[r.kind]}
          </Tag>
          <span>{meansOf(r)}</span>
          <Small>{r.reason}</Small>
          <Spread />
          <Mono>{dollars(r.cents)}</Mono>
          <Button
            $kind="quiet"
            aria-label={`Receipt of ${dollars(Math.abs(r.cents))} on ${times.full(r.at)}`}
            onPress={() => setShown(r)}
          >
            Receipt
          </Button>
        </Row>
      ))}
      {shown && <ReceiptDialog receipt={shown} onClose={() => setShown(null)} />}
    </Stack>
  );
}

export function Account({ person, clinician }: { person: string; clinician?: string | null | undefined }) {
  const { site } = useSession();
  const may = useMay();
  const [giving, setGiving] = useState(false);
  const [taking, setTaking] = useState(false);
  const [charging, setCharging] = useState(false);
  const look = useLook(account(person));
  const a = look.data;
  if (!a)
    return (
      <Sheet>
        <h2>Balance</h2>
        <Unanswered look={look} rows={2} />
      </Sheet>
    );
  const nothing = a.visits.length === 0 && a.carriedOverCents === 0;
  return (
    <Sheet>
      <Row>
        <h2>Balance</h2>
        <Spread />
        {a.creditCents > 0 && <Tag $tone="tide">{dollars(a.creditCents)} credit</Tag>}
        {a.creditCents > 0 && may('give_back') && (
          <Button $kind="quiet" onPress={() => setGiving(true)}>
            Give back
          </Button>
        )}
        {may('take_money') && (
          <Button $kind="quiet" onPress={() => setCharging(true)}>
            Charge without a visit
          </Button>
        )}
        {may('take_money') && !taking && <Button onPress={() => setTaking(true)}>Take a payment</Button>}
      </Row>
      <Stack>
        {nothing ? <Empty>Nothing is owed.</Empty> : <Owed owed={a.owed} ages={a.ages} />}
        {a.carriedOverCents !== 0 && (
          <Row>
            <span>Carried over from before this ledger</span>
            <Spread />
            <Mono>{dollars(a.carriedOverCents)}</Mono>
          </Row>
        )}
        {a.visits.map((v) => (
          <OpenVisit key={v.visitId} visit={v} person={person} credit={a.creditCents} />
        ))}
        {taking && <Collect person={person} site={site?.id ?? ''} propose="all" focus />}
        <Payments person={person} />
      </Stack>
      {charging && <ChargeAlone person={person} clinician={clinician ?? null} onClose={() => setCharging(false)} />}
      {giving && <GiveBack person={person} heldCents={a.creditCents} onClose={() => setGiving(false)} />}
    </Sheet>
  );
}
