/** What was taken off what a patient owes for a visit, what may be, and whether the visit stands on others' statements. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useWordOf, useWords } from '../../app/choices';
import { dollars, useTimes } from '../../app/words';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { reductionsOf } from './queries';

type View = Schemas['ReductionsView'];

export function Reductions({ visit }: { visit: string }) {
  const look = useLook(reductionsOf(visit));
  const may = useMay();
  const [open, setOpen] = useState(false);
  const d = look.data;
  const { run, busy, refusal } = useDo();
  if (!d) return null;
  const keep = (confidential: boolean) =>
    run(() => api.PUT('/api/visits/{id}/confidential', { params: { path: { id: visit } }, body: { confidential } }));
  const none = d.ways.length === 0 && d.reductions.length === 0;
  const privacy = may('take_money') && (
    <Stack $gap={1} data-confidential={d.confidential}>
      <Check
        label="Confidential: on nobody else’s statement"
        value={d.confidential}
        onChange={(next) => {
          if (!busy) void keep(next);
        }}
      />
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
    </Stack>
  );
  if (none) return privacy ? <Sheet>{privacy}</Sheet> : null;
  return (
    <Sheet>
      <Row>
        <h2>Taken off the patient’s part</h2>
        <Spread />
        {d.ways.length > 0 && may('claims') && <Button onPress={() => setOpen(true)}>Take something off</Button>}
      </Row>
      <Stack $gap={2}>
        {d.reductions.length === 0 && <Small>Nothing was taken off.</Small>}
        {d.reductions.map((r) => (
          <One key={r.reduction.id} view={r} />
        ))}
        {privacy}
      </Stack>
      {open && <TakeOff visit={visit} view={d} onClose={() => setOpen(false)} />}
    </Sheet>
  );
}

const tones = { wanted: 'brass', made: 'kelp', not_agreed: 'plain', taken_back: 'plain' } as const;

function One({ view: v }: { view: Schemas['ReductionView'] }) {
  const { reduction: r } = v;
  const may = useMay();
  const times = useTimes();
  const kind = useWordOf('reductionKinds');
  const state = useWordOf('reductionStates');
  const { run, busy, refusal } = useDo();
  const [reason, setReason] = useState<string | null>(null);
  const work = async (body: Schemas['ReductionWork']) => {
    if (await run(() => api.POST('/api/reductions/{id}', { params: { path: { id: r.id } }, body }))) setReason(null);
  };
  return (
    <Stack $gap={1} data-reduction={r.state}>
      <Row>
        <Tag $tone={tones[r.state]}>{state(r.state)}</Tag>
        <span>
          {kind(r.kind)}: {r.reason}
        </span>
        <Small>
          {times.full(r.askedAt)}, {v.askedBy}
          {v.settledBy && v.settledBy !== v.askedBy && `, ${v.settledBy}`}
          {v.backBy && `; owed again, ${v.backBy}: ${r.backReason}`}
        </Small>
        <Spread />
        <Mono>{dollars(r.cents)}</Mono>
        {r.state === 'wanted' && may('claims') && (
          <>
            <Button $kind="quiet" isDisabled={busy} onPress={() => void work({ what: 'refuse' })}>
              {v.mine ? 'Do not take it off' : 'Do not agree'}
            </Button>
            {!v.mine && (
              <Button isDisabled={busy} onPress={() => void work({ what: 'agree' })}>
                Agree
              </Button>
            )}
          </>
        )}
        {r.state === 'made' && may('claims') && reason === null && (
          <Button
            $kind="quiet"
            aria-label={`Take back: ${kind(r.kind)} of ${dollars(r.cents)}`}
            onPress={() => setReason('')}
          >
            Take back
          </Button>
        )}
      </Row>
      {reason === null && refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {reason !== null && (
        <Form refusal={refusal} onSave={() => void work({ what: 'take_back', reason })}>
          <Row $align="end">
            <Field name="reason" label="Why it is owed again" value={reason} onChange={setReason} autoFocus />
            <Spread />
            <Button $kind="quiet" onPress={() => setReason(null)}>
              Back
            </Button>
            <Button type="submit" isDisabled={busy}>
              Owed again
            </Button>
          </Row>
          <Refused />
        </Form>
      )}
    </Stack>
  );
}

function TakeOff({ visit, view: d, onClose }: { visit: string; view: View; onClose: () => void }) {
  const words = useWords('reductionKinds');
  const ways = d.ways;
  const [kind, setKind] = useState(() => (ways.find((w) => w.notOpen === '') ?? ways[0])?.kind ?? 'discount');
  const [amount, setAmount] = useState('');
  const [reason, setReason] = useState('');
  const [key] = useState(() => crypto.randomUUID());
  const { run, busy, refusal } = useDo();
  const way = ways.find((w) => w.kind === kind);
  const save = async () => {
    const body = { key, kind, amount, reason };
    if (await run(() => api.POST('/api/visits/{id}/reductions', { params: { path: { id: visit } }, body }))) onClose();
  };
  return (
    <Dialog title={`Take something off ${dollars(d.owedCents)}`} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Choose
          name="kind"
          label="What it is"
          value={kind}
          onChange={(next) => setKind(next as typeof kind)}
          choices={words.filter((w) => ways.some((way) => way.kind === w.id))}
        />
        {way?.notOpen ? (
          <Notice $tone="brass">{way.notOpen}</Notice>
        ) : (
          <Small>At most {dollars(way?.mostCents ?? 0)}. The charge stays what it is.</Small>
        )}
        <Columns $min={part.field}>
          <Field
            name="amount"
            label="Amount"
            hint="In dollars, or with % of what is owed."
            value={amount}
            onChange={setAmount}
            placeholder="20 or 50%"
            autoFocus
          />
          <Field name="reason" label="Reason" value={reason} onChange={setReason} />
        </Columns>
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy || !!way?.notOpen}>
            Take it off
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
