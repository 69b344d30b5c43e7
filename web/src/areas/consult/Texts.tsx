/** Text templates and questionnaires, as managers and clinicians write them. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Notice, Row, Small, Stack, Table } from '../../ui/layout';
import { part, space } from '../../ui/tokens';
import { Changeable, SaveRow } from '../house/Changeable';
import { questionnaireRead, questionnaires, questionnairesEnded, texts, textsEnded } from './queries';

type Template = Schemas['TextTemplate'] & { id: string };
type Questionnaire = Schemas['QuestionnaireView'];

/** How a field is written, and what it asks for. */
const written: [string, string][] = [
  ['{how long}', 'words'],
  ['{side: left | right}', 'one of these, or other words'],
  ['{temperature: number °C}', 'a number with its unit'],
  ['{since: date}', 'a date'],
  ['{? No fever or chills.}', 'a sentence that is said or left out'],
  ['{= allergies}', 'what the chart says; also medicines, problems, blood pressure, weight, age, last visit'],
];

function HowFields() {
  return (
    <Table data-tight>
      <tbody>
        {written.map(([field, asks]) => (
          <tr key={field}>
            <td>
              <Mono>{field}</Mono>
            </td>
            <td>
              <Small>{asks}</Small>
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

function TextDialog({ old, onClose }: { old: Template | null; onClose: () => void }) {
  const parts = useWords('noteParts');
  const label = useWordOf('noteParts');
  const [title, setTitle] = useState(old?.title ?? '');
  const [complaints, setComplaints] = useState(old?.complaints ?? '');
  const [whose, setWhose] = useState(old && !old.ownerId ? 'clinic' : 'own');
  const [bodies, setBodies] = useState(old?.texts ?? [{ part: 'history' as const, body: '' }]);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const left = parts.filter((p) => bodies.every((b) => b.part !== p.id));
  const save = async (active: boolean) => {
    const body = {
      title,
      complaints,
      texts: bodies,
      clinic: whose === 'clinic',
      version: old?.version ?? 0,
      ended: !active,
    };
    const path = { params: { path: { entry: old?.entryId ?? '' } } };
    const done = await run(() =>
      old ? api.PUT('/api/texts/{entry}', { ...path, body }) : api.POST('/api/texts', { body }),
    );
    if (!done) return;
    onClose();
    if (!active)
      offerUndo(`${title} is used no more.`, () =>
        api.PUT('/api/texts/{entry}', { ...path, body: { ...body, version: done.version, ended: false } }),
      );
  };
  return (
    <Dialog title={old ? 'Change the template' : 'New template'} open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Columns $min={part.wideField}>
          <Field label="Name" name="title" value={title} onChange={setTitle} autoFocus={!old} />
          {/* What everybody uses becomes nobody's own. */}
          {old && !old.ownerId ? (
            <Small>Everybody here uses it.</Small>
          ) : (
            <Choose
              label="For"
              value={whose}
              onChange={setWhose}
              choices={[
                { id: 'own', label: 'Myself' },
                { id: 'clinic', label: 'Everybody here' },
              ]}
            />
          )}
        </Columns>
        <Field
          label="Complaints that it is for"
          name="complaints"
          value={complaints}
          onChange={setComplaints}
          hint="Parted by commas. It is offered first where the visit was booked for one of them."
        />
        {bodies.map((b, n) => (
          <Field
            key={b.part}
            label={label(b.part)}
            name={b.part}
            lines={4}
            value={b.body}
            onChange={(body) => setBodies(bodies.map((o, at) => (at === n ? { ...o, body } : o)))}
          />
        ))}
        {left.length > 0 && (
          <Pick
            label="Another part"
            value={null}
            onChange={(id) => {
              const found = parts.find((p) => p.id === id);
              if (found) setBodies([...bodies, { part: found.id as Schemas['NotePart'], body: '' }]);
            }}
            choices={left}
          />
        )}
        {refusal?.fault('texts') && <Notice $tone="coral">{refusal.fault('texts')}</Notice>}
        <HowFields />
        <Refused />
        <SaveRow what="template" old={old !== null} busy={busy} save={(active) => void save(active)} />
      </Form>
    </Dialog>
  );
}

/** How a questionnaire is written. */
const example = `Over the last week, how often did this happen?
answers: Never = 0 | Sometimes = 1 | Often = 2
1. Woke at night
2. Could not climb stairs
3. Anything else? (words)
score Chest: 1-2
0-1 calm
2-4 not calm !
tell 2 from 2: Listen to the chest now.`;

const answersOf = (q: Schemas['AskedQuestion']) =>
  [
    q.choices.length > 0 ? q.choices.map((c) => `${c.text} (${c.points})`).join(' · ') : 'in words',
    q.optional && 'optional',
  ]
    .filter(Boolean)
    .join(' · ');

/** The questions with their answers; the same answers are told once. */
function AsAsked({ questions }: { questions: Schemas['AskedQuestion'][] }) {
  return questions.map((q, n) => {
    const before = questions[n - 1];
    return (
      <div key={q.link}>
        <div>
          {q.link}. {q.text}
        </div>
        {(!before || answersOf(before) !== answersOf(q)) && <Small>{answersOf(q)}</Small>}
      </div>
    );
  });
}

function QuestionnaireDialog({ old, onClose }: { old: Questionnaire | null; onClose: () => void }) {
  const [title, setTitle] = useState(old?.title ?? '');
  const [body, setBody] = useState(old?.body ?? '');
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const typed = title.trim() !== '' && body.trim() !== '';
  const look = useLook(questionnaireRead(title, body), typed);
  const save = async (active: boolean) => {
    const form = { title, body, version: old?.version ?? 0, ended: !active };
    const path = { params: { path: { entry: old?.entry ?? '' } } };
    const done = await run(() =>
      old
        ? api.PUT('/api/questionnaires/{entry}', { ...path, body: form })
        : api.POST('/api/questionnaires', { body: form }),
    );
    if (!done) return;
    onClose();
    if (!active)
      offerUndo(`${title} is asked no more.`, () =>
        api.PUT('/api/questionnaires/{entry}', { ...path, body: { ...form, version: done.version, ended: false } }),
      );
  };
  return (
    <Dialog
      title={old?.ships ? old.title : old ? 'Change the questionnaire' : 'New questionnaire'}
      open
      onClose={onClose}
      wide
    >
      <Form refusal={refusal}>
        {old?.ships && (
          <>
            <Small>It ships with the program and stays as its source has it; a clinic can only stop asking it.</Small>
            <p>{old.lead}</p>
            <AsAsked questions={old.questions} />
          </>
        )}
        {!old?.ships && <Field label="Name" name="title" value={title} onChange={setTitle} autoFocus={!old} />}
        {!old?.ships && (
          <Columns $min={part.pane}>
            <Field
              label="A line for each thing"
              name="body"
              lines={14}
              value={body}
              onChange={setBody}
              placeholder={example}
            />
            <Stack $gap={2} data-preview aria-live="polite">
              {look.error && typed && <Notice $tone="brass">{look.error.message}</Notice>}
              {look.data && (
                <>
                  <Small>As it will be asked</Small>
                  <p>{look.data.lead}</p>
                  <AsAsked questions={look.data.questions} />
                </>
              )}
              {!typed && <Small style={{ whiteSpace: 'pre-wrap' }}>{example}</Small>}
            </Stack>
          </Columns>
        )}
        <Refused />
        <SaveRow
          what="questionnaire"
          fixed={old?.ships}
          old={old !== null}
          busy={busy}
          save={(active) => void save(active)}
        >
          {old && (
            <a href={`/api/questionnaires/${old.entry}/fhir`} download={`${old.title}.fhir.json`}>
              As FHIR
            </a>
          )}
        </SaveRow>
      </Form>
    </Dialog>
  );
}

/** Takes a questionnaire in from a file. */
function TakeIn() {
  const { run, busy, refusal } = useDo();
  const [took, setTook] = useState('');
  const read = async (file: File | undefined) => {
    if (!file) return;
    const text = await file.text();
    const body = text as never;
    const done = await run(() =>
      api.POST('/api/questionnaires/fhir', {
        body,
        bodySerializer: (sent: unknown) => sent as string,
        headers: { 'Content-Type': 'application/fhir+json' },
      }),
    );
    setTook(done ? `${done.title} is taken in.` : '');
  };
  return (
    <Row style={{ marginTop: space(2) }}>
      <label>
        <Small>Take one in as FHIR R4 </Small>
        <input
          type="file"
          accept=".json,application/fhir+json,application/json"
          disabled={busy}
          onChange={(event) => void read(event.target.files?.[0])}
        />
      </label>
      {took && <Small aria-live="polite">{took}</Small>}
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </Row>
  );
}

/** What is used no more, and how it is used again. */
function UsedNoMore(p: {
  items: { key: string; title: string; again: Parameters<ReturnType<typeof useDo>['run']>[0] }[];
}) {
  const { run, busy, refusal } = useDo();
  if (p.items.length === 0) return null;
  return (
    <Stack $gap={1} data-used-no-more style={{ marginTop: space(2) }}>
      <Small>Used no more</Small>
      {p.items.map((item) => (
        <Row key={item.key} $gap={2}>
          <span>{item.title}</span>
          <Button
            $kind="quiet"
            isDisabled={busy}
            aria-label={`Use ${item.title} again`}
            onPress={() => void run(item.again)}
          >
            Use again
          </Button>
        </Row>
      ))}
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </Stack>
  );
}

function TemplatesNoMore() {
  const look = useLook(textsEnded());
  const again = (t: Schemas['TextTemplate']) => () =>
    api.PUT('/api/texts/{entry}', {
      params: { path: { entry: t.entryId } },
      body: {
        title: t.title,
        complaints: t.complaints,
        texts: t.texts,
        clinic: !t.ownerId,
        version: t.version,
        ended: false,
      },
    });
  return <UsedNoMore items={(look.data ?? []).map((t) => ({ key: t.entryId, title: t.title, again: again(t) }))} />;
}

function QuestionnairesNoMore() {
  const look = useLook(questionnairesEnded());
  const again = (q: Schemas['WrittenQuestionnaire']) => () =>
    api.PUT('/api/questionnaires/{entry}', {
      params: { path: { entry: q.entry } },
      body: { title: q.title, body: q.body, version: q.version, ended: false },
    });
  return <UsedNoMore items={(look.data ?? []).map((q) => ({ key: q.entry, title: q.title, again: again(q) }))} />;
}

export function Texts() {
  const may = useMay();
  const look = useLook(texts(''));
  const asked = useLook(questionnaires());
  const label = useWordOf('noteParts');
  const { clinic } = useSession();
  const name = (id: string | null | undefined) => clinic.staff.find((s) => s.id === id)?.name;
  const templates: Template[] = (look.data ?? []).map((t) => t.template);
  return (
    <>
      <Changeable
        title="Text templates"
        create="New template"
        needs="write_texts"
        main
        empty="None yet."
        items={templates}
        nameOf={(t) => t.title}
        head={
          <>
            <th>Template</th>
            <th>For</th>
            <th className="wide">Parts</th>
          </>
        }
        cells={(t) => (
          <>
            <td>
              {t.title} {t.ownerId && <Small>{name(t.ownerId) ?? 'your own'}</Small>}
            </td>
            <td>
              <Small>{t.complaints}</Small>
            </td>
            <td className="wide">
              <Small>{t.texts.map((x) => label(x.part)).join(', ')}</Small>
            </td>
          </>
        )}
        dialog={(old, onClose) => <TextDialog old={old} onClose={onClose} />}
        after={may('write_texts') && <TemplatesNoMore />}
      />
      <Changeable
        title="Questionnaires"
        create="New questionnaire"
        needs="write_texts"
        items={(asked.data ?? []).map((q) => ({ ...q, id: q.entry }))}
        nameOf={(q) => q.title}
        head={
          <>
            <th>Questionnaire</th>
            <th className="number">Questions</th>
            <th />
          </>
        }
        cells={(q) => (
          <>
            <td>{q.title}</td>
            <td className="number">{q.questions.length}</td>
            <td>
              <Small>{q.ships ? 'ships with the program' : `version ${q.version}`}</Small>
            </td>
          </>
        )}
        dialog={(old, onClose) => <QuestionnaireDialog old={old} onClose={onClose} />}
        after={may('write_texts') && <QuestionnairesNoMore />}
      />
      <TakeIn />
    </>
  );
}
