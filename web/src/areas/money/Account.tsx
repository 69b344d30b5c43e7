/** What a person owes, by whom and how old; each visit opens into its explanation; payments made; credit. */

import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { amountText, dollars, useTimes } from '../../app/words';
import { Button, Choose, Dialog, Field } from '../../ui/controls';
import { Columns, Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { River } from '../../ui/River';
import { part } from '../../ui/tokens';
import { Collect } from './Collect';
import { meansOf, ReceiptDialog } from './Receipt';

const ages = ['up to 30 days', '31 to 60', '61 to 90', 'older'];

function Owed({ owed }: { owed: Schemas['Owed'][] }) {
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

function OpenVisit({ visit: v }: { visit: Schemas['OpenVisit'] }) {
  const times = useTimes();
  const navigate = useNavigate();
  const [open, setOpen] = useState(false);
  return (
    <Stack $gap={2} data-open-visit>
      <Row>
        <Mono>{times.full(v.startsAt)}</Mono>
        <span>{v.reason}</span>
        <Spread />
        <Small>patient</Small>
        <Mono>{dollars(v.patientOwesCents)}</Mono>
        <Small>payer</Small>
        <Mono>{dollars(v.payerOwesCents)}</Mono>
        <Button
          aria-expanded={open}
          aria-label={`Why ${dollars(v.patientOwesCents + v.payerOwesCents)} is owed for ${times.full(v.startsAt)}`}
          onPress={() => setOpen(!open)}
        >
          {open ? 'Fold' : 'Why'}
        </Button>
      </Row>
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

function GiveBack(p: { person: string; site: string; heldCents: number; onClose: () => void }) {
  const [amount, setAmount] = useState(amountText(p.heldCents));
  const [method, setMethod] = useState('card');
  const [reference, setReference] = useState('');
  const [reason, setReason] = useState('');
  const [key] = useState(() => crypto.randomUUID());
  const { run, busy, refusal } = useDo();
  const give = async () => {
    const body = { siteId: p.site, amount, method, reference, reason, key };
    if (await run(() => api.POST('/api/people/{id}/refunds', { params: { path: { id: p.person } }, body })))
      p.onClose();
  };
  return (
    <Dialog title="Give money back" open onClose={p.onClose}>
      <Stack>
        <p>The clinic holds {dollars(p.heldCents)} as credit.</p>
        <Columns $min={part.field}>
          <Field label="Amount" value={amount} onChange={setAmount} fault={refusal?.fault('amount')} autoFocus />
          <Choose
            label="Means"
            value={method}
            onChange={setMethod}
            choices={['card', 'cash', 'cheque', 'transfer'].map((id) => ({ id, label: id }))}
          />
          {method !== 'card' && (
            <Field
              label={method === 'cheque' ? 'Cheque number' : 'Reference'}
              value={reference}
              onChange={setReference}
              fault={refusal?.fault('reference')}
            />
          )}
          <Field label="Reason" value={reason} onChange={setReason} fault={refusal?.fault('reason')} />
        </Columns>
        {refusal && refusal.problem.fields.length === 0 && <Notice $tone="coral">{refusal.message}</Notice>}
        <Row>
          <Spread />
          <Button $kind="filled" isDisabled={busy} onPress={() => void give()}>
            Give {amount} back
          </Button>
        </Row>
      </Stack>
    </Dialog>
  );
}

/** Payments of a person, each to be shown, printed or taken back again. */
export function Payments({ person }: { person: string }) {
  const times = useTimes();
  const [shown, setShown] = useState<Schemas['Receipt'] | null>(null);
  const look = useLook(['payments', person], () =>
    api.GET('/api/people/{id}/payments', { params: { path: { id: person } } }),
  );
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

export function Account({ person }: { person: string }) {
  const { clinic } = useSession();
  const may = useMay();
  const [giving, setGiving] = useState(false);
  const [taking, setTaking] = useState(false);
  const site = clinic.sites[0]?.id ?? '';
  const look = useLook(['account', person], () =>
    api.GET('/api/people/{id}/account', { params: { path: { id: person } } }),
  );
  const a = look.data;
  if (!a) return null;
  const older = a.visits.reduce((sum, v) => sum + Math.max(v.patientOwesCents, 0), Math.max(a.carriedOverCents, 0));
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
        {may('take_money') && !taking && <Button onPress={() => setTaking(true)}>Take a payment</Button>}
      </Row>
      <Stack>
        {nothing ? <Empty>Nothing is owed.</Empty> : <Owed owed={a.owed} />}
        {a.carriedOverCents !== 0 && (
          <Row>
            <span>Carried over from before this ledger</span>
            <Spread />
            <Mono>{dollars(a.carriedOverCents)}</Mono>
          </Row>
        )}
        {a.visits.map((v) => (
          <OpenVisit key={v.visitId} visit={v} />
        ))}
        {taking && <Collect person={person} site={site} older={older} focus />}
        <Payments person={person} />
      </Stack>
      {giving && <GiveBack person={person} site={site} heldCents={a.creditCents} onClose={() => setGiving(false)} />}
    </Sheet>
  );
}
