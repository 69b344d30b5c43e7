/** How the payer stands to a prescription: the uses it pays for, a request with its questions, and what it decided. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { approvalOf } from './queries';

type View = Schemas['ApprovalView'];
type Standing = Schemas['Approval'];

/** None of the covered uses. */
const OTHER = 'other';

const tone = {
  covered: 'kelp',
  asking: 'tide',
  waiting: 'tide',
  granted: 'kelp',
  refused: 'coral',
  withdrawn: 'plain',
} as const;

export function ToPayer({ prescription }: { prescription: string }) {
  const look = useLook(approvalOf(prescription));
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const view = look.data;
  if (!view || (view.uses.length === 0 && !view.standing)) return null;
  const { standing } = view;
  const open = may('write_note') && view.uses.length > 0;
  // What waits or is granted is left alone; what was refused, or ran out, is asked again.
  const again = !standing || standing.state === 'refused' || standing.state === 'covered' || !view.counts;
  const waits = standing?.state === 'asking' || standing?.state === 'waiting';
  return (
    <Stack $gap={1} data-to-payer={standing?.state ?? 'open'}>
      {standing ? (
        <Stands standing={standing} counts={view.counts} payer={view.payer} />
      ) : (
        <Wanted payer={view.payer} />
      )}
      {open && again && !waits && (
        <Uses key={standing?.id} prescription={prescription} view={view} asking={asking} setAsking={setAsking} />
      )}
    </Stack>
  );
}

const Wanted = ({ payer }: { payer: string | null | undefined }) => (
  <Row $gap={2}>
    <Tag $tone="brass">Approval</Tag>
    <Small>{payer} pays this for some uses only. Say which it is, or ask.</Small>
  </Row>
);

function Stands({
  standing: s,
  counts,
  payer,
}: {
  standing: Standing;
  counts: boolean;
  payer: string | null | undefined;
}) {
  const times = useTimes();
  const words: Record<Standing['state'], string> = {
    covered: 'Covered use',
    asking: 'Being asked',
    waiting: 'The payer decides',
    granted: counts ? 'Approved' : 'Approval has run out',
    refused: 'Not approved',
    withdrawn: 'Taken back',
  };
  return (
    <Row $gap={2}>
      <Tag $tone={s.state === 'granted' && !counts ? 'brass' : tone[s.state]}>{words[s.state]}</Tag>
      <Small>
        {[
          payer,
          s.coveredUse,
          s.number && <Mono key="n">{s.number}</Mono>,
          s.until && `until ${times.full(s.until)}`,
          s.refusal,
          (s.state === 'asking' || s.state === 'waiting') && `asked ${times.since(s.askedAt)}`,
        ]
          .filter(Boolean)
          .map((part, n) => (
            <span key={n}>
              {n > 0 && ' · '}
              {part}
            </span>
          ))}
      </Small>
    </Row>
  );
}

function Uses(p: { prescription: string; view: View; asking: boolean; setAsking: (asking: boolean) => void }) {
  const { view } = p;
  const met = view.uses.find((u) => u.metBy);
  const [use, setUse] = useState(view.standing?.coveredUse || met?.name || OTHER);
  const [reason, setReason] = useState(view.standing?.reason ?? '');
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const { run, busy, refusal } = useDo();
  const chosen = view.uses.find((u) => u.name === use);
  const send = async (ask: boolean) => {
    const body = {
      coveredUse: chosen?.name ?? '',
      reason,
      ask,
      answers: view.questions.map((q) => ({ question: q.question, answer: answers[q.question] ?? '' })),
    };
    const params = { path: { id: p.prescription } };
    if (await run(() => api.POST('/api/prescriptions/{id}/approval', { params, body }))) p.setAsking(false);
  };
  const settled = view.standing?.state === 'covered' && view.standing.coveredUse === use;
  return (
    <Form refusal={refusal} onSave={() => void send(true)}>
      <Stack $gap={2}>
        <Choose
          label="Use"
          hideLabel
          value={use}
          onChange={setUse}
          choices={[
            ...view.uses.map((u) => ({ id: u.name, label: u.metBy ? `${u.name} ✓ ${u.metBy}` : u.name })),
            { id: OTHER, label: 'another use' },
          ]}
        />
        {p.asking && (
          <Stack $gap={2}>
            {view.questions.map((q, n) =>
              q.answer === 'yes_no' ? (
                <Choose
                  key={q.question}
                  label={q.question}
                  value={answers[q.question] ?? ''}
                  onChange={(answer) => setAnswers({ ...answers, [q.question]: answer })}
                  choices={[
                    { id: 'yes', label: 'Yes' },
                    { id: 'no', label: 'No' },
                  ]}
                />
              ) : (
                <Field
                  key={q.question}
                  label={q.question}
                  name={`answer${n}`}
                  value={answers[q.question] ?? ''}
                  onChange={(answer) => setAnswers({ ...answers, [q.question]: answer })}
                />
              ),
            )}
            <Field label="Why it is needed" name="reason" value={reason} onChange={setReason} />
          </Stack>
        )}
        <Refused />
        <Row>
          <Spread />
          {/* With keys: a button that turned into the other would send with the very press that opened the questions. */}
          {p.asking ? (
            <>
              <Button key="leave" onPress={() => p.setAsking(false)}>
                Leave
              </Button>
              <Button key="send" type="submit" isDisabled={busy}>
                Ask {view.payer}
              </Button>
            </>
          ) : (
            <>
              {chosen?.metBy && !settled && (
                <Button key="covered" isDisabled={busy} onPress={() => void send(false)}>
                  It is this use
                </Button>
              )}
              <Button key="ask" $kind={chosen?.metBy ? 'quiet' : undefined} onPress={() => p.setAsking(true)}>
                Ask for approval
              </Button>
            </>
          )}
        </Row>
      </Stack>
    </Form>
  );
}
