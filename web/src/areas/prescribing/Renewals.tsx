/** What pharmacies ask to be renewed: checked with today's facts, answered one by one, signed together. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Faults, Refused } from '../../ui/Form';
import { Empty, Mono, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { Findings } from './Findings';
import { renewals } from './queries';

type Asked = Schemas['RenewalView'];

export function Renewals() {
  const look = useLook(renewals());
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const [reasons, setReasons] = useState<Record<string, string>>({});
  const [code, setCode] = useState('');
  const { run, busy, refusal } = useDo();
  const list = look.data ?? [];
  const answered = list.filter((r) => answers[r.id]);
  const yes = answered.filter((r) => answers[r.id] === 'yes').length;
  const send = async () => {
    const items = answered.map((r) => ({
      id: r.id,
      answer: answers[r.id] ?? '',
      reason: reasons[r.id] ?? '',
      overrides: serious(r).map((f) => ({ about: f.about, reason: reasons[`${r.id} ${f.about}`] ?? '' })),
    }));
    if (await run(() => api.POST('/api/renewals/answer', { body: { items, code } }))) setAnswers({});
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

const serious = (r: Asked) => r.findings.filter((f) => f.severity === 'serious');

function One(p: {
  asked: Asked;
  answer: string;
  onAnswer: (answer: string) => void;
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
            {p.answer === 'yes' &&
              serious(r).map((f) => (
                <Field
                  key={f.about}
                  label="Override reason"
                  name="overrideReason"
                  hint={f.sentence}
                  value={p.reasons[`${r.id} ${f.about}`] ?? ''}
                  onChange={(text) => p.say(`${r.id} ${f.about}`, text)}
                />
              ))}
          </>
        )}
      </Stack>
    </Sheet>
  );
}
