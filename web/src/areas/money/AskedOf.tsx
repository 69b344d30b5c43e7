/** How somebody is asked for what they answer for: statements, a payment plan, hardship, calls. */

import { type ReactNode, useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useWords } from '../../app/choices';
import { dollars, plainDate, useIdentity, useTimes } from '../../app/words';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { CallNote, PlanStands } from './Calls';
import { askedOf } from './queries';
import { KeptApart } from './Statements';

type Asked = Schemas['AskedOfPerson'];
type Opened = 'wish' | 'plan' | 'end' | 'hardship' | 'call' | null;

export function AskedOf({ person }: { person: Schemas['PersonCard'] }) {
  const look = useLook(askedOf(person.id));
  const may = useMay();
  const [open, setOpen] = useState<Opened>(null);
  const { run, busy, refusal } = useDo();
  const d = look.data;
  if (!d) return null;
  const path = { params: { path: { id: person.id } } };
  const close = () => setOpen(null);
  const shut = (hardship: string) =>
    run(() => api.DELETE('/api/people/{id}/hardships/{hardship}', { params: { path: { id: person.id, hardship } } }));
  return (
    <Sheet data-place="statements">
      <Row>
        <h2>How it is asked for</h2>
        <Spread />
        {may('take_money') && (
          <Button $kind="quiet" onPress={() => setOpen('wish')}>
            Wishes for statements
          </Button>
        )}
        {may('claims') && (
          <>
            <Button $kind="quiet" onPress={() => setOpen('call')}>
              Note a call
            </Button>
            <Button $kind="quiet" onPress={() => setOpen('hardship')}>
              Document hardship
            </Button>
            {!d.plan && d.owedCents > 0 && (
              <Button $kind="quiet" onPress={() => setOpen('plan')}>
                Agree on a plan
              </Button>
            )}
          </>
        )}
      </Row>
      <Stack $gap={2}>
        <Wishes asked={d} />
        <Drafts asked={d} busy={busy} onMake={() => run(() => api.POST('/api/people/{id}/statements', path))} />
        {d.keptApart.length > 0 && <KeptApart list={d.keptApart} />}
        {d.plan && (
          <Line>
            <span>
              Plan: {dollars(d.plan.plan.instalmentCents)}{' '}
              {d.plan.plan.every === 'month' ? 'every month' : 'every two weeks'},{' '}
              <Mono>
                {dollars(d.plan.paidCents)} of {dollars(d.plan.totalCents)}
              </Mono>
            </span>
            <PlanStands plan={d.plan} />
            <Spread />
            {may('claims') && (
              <Button $kind="quiet" onPress={() => setOpen('end')}>
                End the plan
              </Button>
            )}
          </Line>
        )}
        {d.hardships.map((h) => (
          <Line key={h.id}>
            <Tag $tone={h.endedAt ? 'plain' : 'tide'}>hardship {h.percent} %</Tag>
            <span>
              {plainDate(h.fromDay)} to {plainDate(h.toDay)}
              {h.endedAt && ', ended'}
            </span>
            <Small>
              {h.shown}, {h.by}
            </Small>
            <Spread />
            {may('claims') && !h.endedAt && (
              <Button $kind="quiet" isDisabled={busy} onPress={() => void shut(h.id)}>
                End it
              </Button>
            )}
          </Line>
        ))}
        <Sent asked={d} />
        <CallsMade calls={d.calls} />
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
      </Stack>
      {open === 'wish' && <Wish person={person.id} asked={d} onClose={close} />}
      {open === 'plan' && <Plan person={person.id} owed={d.owedCents} onClose={close} />}
      {open === 'end' && <EndPlan person={person.id} onClose={close} />}
      {open === 'hardship' && <Hardship person={person.id} onClose={close} />}
      {open === 'call' && <CallNote person={person} onClose={close} />}
    </Sheet>
  );
}

const Line = ({ children }: { children: ReactNode }) => <Row>{children}</Row>;

function Wishes({ asked: d }: { asked: Asked }) {
  const w = d.wish;
  if (!w) return null;
  return (
    <Row data-wishes>
      {w.heldBecause && <Tag $tone="brass">held: {w.heldBecause}</Tag>}
      {w.otherAddress && <Tag $tone="tide">written to elsewhere only</Tag>}
      {w.byEmail && <Tag>by e-mail</Tag>}
      {w.largeType && <Tag>large type</Tag>}
    </Row>
  );
}

function Drafts({ asked: d, busy, onMake }: { asked: Asked; busy: boolean; onMake: () => unknown }) {
  const may = useMay();
  const identity = useIdentity();
  if (d.drafts.length === 0) return <Small>Nothing is to be asked for now.</Small>;
  return (
    <Row data-would-ask>
      <span>
        A statement now would ask for{' '}
        {d.drafts.map((one) => `${dollars(one.cents)} of ${identity(one.to)}`).join(' and ')}
        {d.drafts.every((one) => !one.way) && `: ${d.drafts.map((one) => one.notNow).join('; ')}`}.
      </span>
      <Spread />
      {may('claims') && d.drafts.some((one) => one.way) && (
        <Button isDisabled={busy} onPress={() => void onMake()}>
          Make a statement now
        </Button>
      )}
    </Row>
  );
}

function Sent({ asked: d }: { asked: Asked }) {
  const times = useTimes();
  return d.sent.map((s) => (
    <Row key={s.id} data-statement>
      <Mono>{times.full(s.at)}</Mono>
      <span>statement by {s.way === 'email' ? 'e-mail' : 'letter'}</span>
      <Small>{s.by}</Small>
      <Spread />
      <Mono>{dollars(s.cents)}</Mono>
      <a href={`/api/statements/${s.id}/paper`} aria-label={`Statement of ${times.full(s.at)} as it was sent`}>
        As it was sent
      </a>
    </Row>
  ));
}

function CallsMade({ calls }: { calls: Schemas['CallNote'][] }) {
  const times = useTimes();
  return calls.map((c) => (
    <Row key={c.id} data-call-note>
      <Mono>{times.full(c.at)}</Mono>
      <span>
        called: {c.sentence}
        {c.promisedCents && c.promisedOn && ` Promised ${dollars(c.promisedCents)} by ${plainDate(c.promisedOn)}.`}
      </span>
      <Small>{c.by}</Small>
    </Row>
  ));
}

function Wish({ person, asked: d, onClose }: { person: string; asked: Asked; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const [heldBecause, setHeld] = useState(d.wish?.heldBecause ?? '');
  const [otherAddress, setOther] = useState(d.wish?.otherAddress ?? '');
  const [byEmail, setByEmail] = useState(d.wish?.byEmail ?? false);
  const [largeType, setLarge] = useState(d.wish?.largeType ?? false);
  const save = async () => {
    const body = { heldBecause, otherAddress, byEmail, largeType };
    if (await run(() => api.PUT('/api/people/{id}/statements', { params: { path: { id: person } }, body }))) onClose();
  };
  return (
    <Dialog title="Wishes for statements" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Check label="By e-mail, where they agreed to it" value={byEmail} onChange={setByEmail} />
        <Check label="In large type" value={largeType} onChange={setLarge} />
        <Field
          name="otherAddress"
          label="Written to here alone"
          hint="A confidential address, line by line. Nothing of theirs stands on anybody else’s statement then."
          value={otherAddress}
          onChange={setOther}
          lines={3}
        />
        <Field
          name="heldBecause"
          label="Send none, because"
          hint="Empty: they are sent."
          value={heldBecause}
          onChange={setHeld}
        />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Save
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

function Plan({ person, owed, onClose }: { person: string; owed: number; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const times = useWords('planTimes');
  const [instalment, setInstalment] = useState('');
  const [every, setEvery] = useState('month');
  const [firstOn, setFirst] = useState('');
  const save = async () => {
    const body = { instalment, every, firstOn };
    if (await run(() => api.POST('/api/people/{id}/plan', { params: { path: { id: person } }, body }))) onClose();
  };
  return (
    <Dialog title={`A plan for ${dollars(owed)}`} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.field}>
          <Field name="instalment" label="Instalment" value={instalment} onChange={setInstalment} autoFocus />
          <Field name="firstOn" label="The first is due" value={firstOn} onChange={setFirst} placeholder="+2w, 1 dec" />
        </Columns>
        <Choose name="every" label="How often" value={every} onChange={setEvery} choices={times} />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Agree on it
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

function EndPlan({ person, onClose }: { person: string; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const [reason, setReason] = useState('');
  const save = async () => {
    const path = { params: { path: { id: person } } };
    if (await run(() => api.POST('/api/people/{id}/plan/end', { ...path, body: { reason } }))) onClose();
  };
  return (
    <Dialog title="End the plan" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Field name="reason" label="Why" value={reason} onChange={setReason} autoFocus />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            End it
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

function Hardship({ person, onClose }: { person: string; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const [percent, setPercent] = useState('');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [shown, setShown] = useState('');
  const save = async () => {
    const body = { percent, from, to, shown };
    const path = { params: { path: { id: person } } };
    if (await run(() => api.POST('/api/people/{id}/hardships', { ...path, body }))) onClose();
  };
  return (
    <Dialog title="Document hardship" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.field}>
          <Field name="percent" label="Taken off, per cent" value={percent} onChange={setPercent} autoFocus />
          <Field name="from" label="For visits from" value={from} onChange={setFrom} placeholder="1 nov" />
          <Field name="to" label="To" value={to} onChange={setTo} placeholder="+6m" />
        </Columns>
        <Field name="shown" label="What was shown" value={shown} onChange={setShown} placeholder="two payslips" />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Document it
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
