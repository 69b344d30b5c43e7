/** What pharmacies ask to be renewed: checked with today's facts, answered one by one, signed together. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Faults, Refused } from '../../ui/Form';
import { Empty, Mono, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { Fields } from './Draft';
import { Findings } from './Findings';
import { prescriptionCheck, prescriptionsOf, renewals, takenUp } from './queries';

type Asked = Schemas['RenewalView'];
type Typed = Schemas['PrescriptionForm'];

/** With these answers something is signed. */
const signs = ['yes', 'changed'];

export function Renewals() {
  const look = useLook(renewals());
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const [reasons, setReasons] = useState<Record<string, string>>({});
  const [changed, setChanged] = useState<Record<string, Typed>>({});
  const [code, setCode] = useState('');
  const { run, busy, refusal } = useDo();
  const list = look.data ?? [];
  const answered = list.filter((r) => answers[r.id]);
  const yes = answered.filter((r) => signs.includes(answers[r.id] ?? '')).length;
  const send = async () => {
    const items = answered.map((r) => ({
      id: r.id,
      answer: answers[r.id] ?? '',
      reason: reasons[r.id] ?? '',
      overrides: Object.entries(reasons)
        .filter(([key]) => key.startsWith(`${r.id} `))
        .map(([key, reason]) => ({ about: key.slice(r.id.length + 1), reason })),
      ...(answers[r.id] === 'changed' && changed[r.id] && { changed: changed[r.id] }),
    }));
    if (await run(() => api.POST('/api/renewals/answer', { body: { items, code } }))) {
      setAnswers({});
      setChanged({});
    }
  };
  const say = (key: string, text: string) => setReasons((before) => ({ ...before, [key]: text }));
  return (
    <Faults refusal={refusal}>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} rows={4} />}
      {look.data && list.length === 0 && (
        <Empty>No renewal is asked for. What a pharmacy asks of you appears here by itself.</Empty>
      )}
      <Stack>
        {list.map((r) => (
          <One
            key={r.id}
            asked={r}
            answer={answers[r.id] ?? ''}
            onAnswer={(answer) => setAnswers({ ...answers, [r.id]: answer })}
            changed={changed[r.id] ?? null}
            onChanged={(typed) => {
              setChanged({ ...changed, [r.id]: typed });
            }}
            reasons={reasons}
            say={say}
          />
        ))}
        {yes > 0 && (
          <Field
            label="Code of your second factor"
            name="code"
            hint="Only where a controlled substance is among them."
            value={code}
            onChange={setCode}
          />
        )}
        <Refused />
        {list.length > 0 && (
          <Row>
            <Spread />
            <Button $kind="filled" isDisabled={busy || answered.length === 0} onPress={() => void send()}>
              {yes > 0 ? `Sign ${yes} and answer ${answered.length}` : `Answer ${answered.length}`}
            </Button>
          </Row>
        )}
      </Stack>
    </Faults>
  );
}

const serious = (findings: Schemas['FindingView'][]) => findings.filter((f) => f.severity === 'serious');

/** What it is changed to: the fields of the old one, kept as the answer until everything is signed. */
function Changed(p: {
  asked: Asked;
  changed: Typed | null;
  onChanged: (typed: Typed) => void;
  reasons: Record<string, string>;
  say: (key: string, text: string) => void;
}) {
  const r = p.asked;
  const look = useLook(takenUp(r.prescriptionId));
  const known = useLook(prescriptionsOf(r.person.id));
  const [open, setOpen] = useState(p.changed === null);
  const place = { person: r.person.id };
  const check = useLook(prescriptionCheck(place, p.changed ?? nothing), p.changed !== null);
  if (!look.data || !known.data) return unanswered(look) ? <Unanswered look={look} rows={3} /> : null;
  const { product, form } = look.data;
  const code = form.diagnosis;
  const problems = known.data.problems;
  const listed =
    !code || problems.some((d) => d.code === code) ? problems : [...problems, { code, title: 'as it was' }];
  if (open || !p.changed)
    return (
      <Fields
        product={product}
        place={place}
        diagnoses={listed}
        under={code ?? null}
        start={p.changed ?? { ...form, replaces: r.prescriptionId }}
        word="Answer with this"
        busy={false}
        refusal={null}
        onKeep={(typed) => {
          p.onChanged(typed);
          setOpen(false);
        }}
        onLeave={() => setOpen(false)}
      />
    );
  return (
    <Stack $gap={1} data-changed>
      <Row>
        <span>
          Changed to: {check.data?.instructions} Dispense <Mono>{check.data?.quantity}</Mono>.
        </span>
        <Spread />
        <Button $kind="quiet" onPress={() => setOpen(true)}>
          Change it again
        </Button>
      </Row>
      {check.data && <Findings list={check.data.findings} />}
      {serious(check.data?.findings ?? []).map((f) => (
        <Overridden key={f.about} asked={r} finding={f} reasons={p.reasons} say={p.say} />
      ))}
    </Stack>
  );
}

const nothing: Typed = { productCode: '', dose: '', often: '' };

function Overridden(p: {
  asked: Asked;
  finding: Schemas['FindingView'];
  reasons: Record<string, string>;
  say: (key: string, text: string) => void;
}) {
  const key = `${p.asked.id} ${p.finding.about}`;
  return (
    <Field
      label="Override reason"
      name="overrideReason"
      hint={p.finding.sentence}
      value={p.reasons[key] ?? ''}
      onChange={(text) => p.say(key, text)}
    />
  );
}

function One(p: {
  asked: Asked;
  answer: string;
  onAnswer: (answer: string) => void;
  changed: Typed | null;
  onChanged: (typed: Typed) => void;
  reasons: Record<string, string>;
  say: (key: string, text: string) => void;
}) {
  const r = p.asked;
  const identity = useIdentity();
  const times = useTimes();
  const wordOf = useWordOf('prescriptionStates');
  return (
    <Sheet data-renewal={r.medicine}>
      <Stack $gap={2}>
        <Row>
          <strong>{identity(r.person)}</strong>
          <Small>{r.person.age}</Small>
          <Spread />
          <Small>asked {times.since(r.askedAt)}</Small>
        </Row>
        {r.closed ? (
          <p>Restricted chart: open it with a reason to answer.</p>
        ) : (
          <>
            <p>
              <strong>{r.medicine}</strong>. {r.instructions} Dispense <Mono>{r.quantity}</Mono>
              {!!r.refills && `, ${r.refills} refills`}.
            </p>
            <Small>
              {[
                r.diagnosis && `for ${r.diagnosis}`,
                `prescribed ${times.full(r.prescribedAt)}`,
                wordOf(r.state),
                r.note && `“${r.note}”`,
              ]
                .filter(Boolean)
                .join(' · ')}
            </Small>
            <Findings list={r.findings} />
            <Row>
              <Choose
                label="Answer"
                hideLabel
                value={p.answer}
                onChange={p.onAnswer}
                choices={[
                  { id: 'yes', label: 'Renew' },
                  { id: 'changed', label: 'Renew changed' },
                  { id: 'no', label: 'Do not renew' },
                ]}
              />
            </Row>
            {p.answer === 'no' && (
              <Field
                label="Reason, for the pharmacy"
                name="reason"
                value={p.reasons[r.id] ?? ''}
                onChange={(text) => p.say(r.id, text)}
              />
            )}
            {p.answer === 'changed' && <Changed key={r.id} {...p} />}
            {p.answer === 'yes' &&
              serious(r.findings).map((f) => (
                <Overridden key={f.about} asked={r} finding={f} reasons={p.reasons} say={p.say} />
              ))}
          </>
        )}
      </Stack>
    </Sheet>
  );
}
