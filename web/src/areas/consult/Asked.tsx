/** Questionnaires of the sheet: asked and answered in place, their scores beside those of before. */

import { useQueryClient } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { api, change, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useDraft } from '../../app/useDraft';
import { useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Trend } from '../../ui/Trend';
import { questionnaires } from './queries';

type Chart = Schemas['ChartView'];
type View = Schemas['AskedView'];
type Questionnaire = Schemas['QuestionnaireView'];

/** What was asked in this visit, or last, in one line. */
export function askedInWords(chart: Chart, visit: string) {
  const here = chart.asked.filter((a) => a.visitId === visit);
  const said = (all: View[]) => all.flatMap((a) => a.scores.map((s) => s.words)).join(' · ');
  if (here.length > 0) return said(here) || here.map((a) => a.asked.title).join(' · ');
  const [last] = chart.asked;
  return last ? `Before: ${said([last]) || last.asked.title}` : 'Nothing yet';
}

const answerOf = (view: View, link: string) => {
  const given = view.answers[link];
  return given === undefined ? null : String(given);
};

/** The questions, each answered by a click or by the number of the answer; what is answered is saved at once. */
function Answering({ view }: { view: View }) {
  const client = useQueryClient();
  const heldOf = (now: View) => ({
    held: Object.fromEntries(now.asked.questions.map((q) => [q.link, answerOf(now, q.link)])),
    version: now.version,
  });
  const params = { path: { id: view.visitId, response: view.id } };
  const draft = useDraft<Record<string, string | null>>({
    place: `asked/${view.id}`,
    ...heldOf(view),
    wait: 0,
    save: async (fields, version) => {
      const all = { ...heldOf(view).held, ...draft.local, ...fields };
      const answers: Record<string, string | number> = {};
      for (const q of view.asked.questions) {
        const given = all[q.link];
        if (given != null && given !== '') answers[q.link] = q.choices.length > 0 ? Number(given) : given;
      }
      const saved = await change(client, () =>
        api.PUT('/api/visits/{id}/questionnaires/{response}', { params, body: { answers, version } }),
      );
      return heldOf(saved);
    },
    theirs: (current) => {
      const row = current as { version: number; answers: View['answers'] };
      return heldOf({ ...view, answers: row.answers, version: row.version });
    },
  });
  const [clash] = draft.clashes;
  const place = useRef<HTMLDivElement>(null);
  const [fresh] = useState(Object.keys(view.answers).length === 0);
  useEffect(() => {
    if (fresh) place.current?.querySelector<HTMLElement>('input, textarea')?.focus();
  }, [fresh]);
  const choose = (link: string, at: string) => draft.change({ [link]: at });
  const keys = (q: Schemas['AskedQuestion']) => (event: KeyboardEvent<HTMLElement>) => {
    const at = Number(event.key) - 1;
    if (event.altKey || event.ctrlKey || !(at >= 0 && at < q.choices.length)) return;
    event.preventDefault();
    choose(q.link, String(at));
    // On to the next question.
    const all = [...document.querySelectorAll<HTMLElement>(`[data-asked='${view.id}'] [data-question]`)];
    const next = all[all.indexOf(event.currentTarget) + 1];
    next?.querySelector<HTMLElement>('input, textarea')?.focus();
  };
  return (
    <Stack
      ref={place}
      $gap={3}
      data-asked={view.id}
      data-state={draft.busy ? 'saving' : draft.dirty ? 'typing' : 'saved'}
    >
      {view.outdated && (
        <Small>This questionnaire was changed since; these are the answers to the version asked.</Small>
      )}
      <p>{view.asked.lead}</p>
      {view.asked.questions.map((q) => (
        <Stack key={q.link} $gap={0} data-question={q.link} onKeyDown={keys(q)}>
          {q.choices.length > 0 ? (
            <Choose
              label={`${q.link}. ${q.text}`}
              value={draft.local[q.link] ?? ''}
              onChange={(at) => choose(q.link, at)}
              choices={q.choices.map((c, n) => ({ id: String(n), label: c.text }))}
            />
          ) : (
            <Field
              label={`${q.link}. ${q.text}`}
              name={q.link}
              lines={2}
              value={draft.local[q.link] ?? ''}
              onChange={(words) => draft.change({ [q.link]: words })}
              onBlur={() => void draft.flush()}
            />
          )}
        </Stack>
      ))}
      {draft.refusal && (
        <Notice $tone="coral" role="alert">
          Not saved: {draft.refusal.message}
        </Notice>
      )}
      {clash && (
        <Notice $tone="brass" role="alert">
          <Row>
            <span>Somebody answered question {clash.field} otherwise in the meantime.</span>
            <Spread />
            <Button onPress={() => draft.decide('theirs')}>Take theirs</Button>
            <Button onPress={() => draft.decide('mine')}>Keep mine</Button>
          </Row>
        </Notice>
      )}
    </Stack>
  );
}

/** The scores of a questionnaire over the visits, the newest first. */
function Scores({ of, all }: { of: Questionnaire; all: View[] }) {
  const times = useTimes();
  const titles = [...new Set(all.flatMap((a) => a.scores.map((s) => s.title)))];
  return titles.map((title) => {
    const told = all.flatMap((a) => a.scores.filter((s) => s.title === title).map((s) => ({ ...s, at: a.answeredAt })));
    const points = told.flatMap((s) => (s.points == null ? [] : [s.points]));
    return (
      <Stack key={`${of.entry} ${title}`} $gap={1}>
        <Trend values={[...points].reverse()} label={`${title}, earlier scores`} />
        <Table data-tight>
          <tbody>
            {told.slice(0, 12).map((s) => (
              <tr key={s.at}>
                <td>
                  <Small>{times.full(s.at)}</Small>
                </td>
                <td>
                  <Tag $tone={s.raised ? 'brass' : 'plain'}>{s.words}</Tag>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Stack>
    );
  });
}

export function Asked({ chart, visit }: { chart: Chart; visit: string }) {
  const may = useMay();
  const offerUndo = useUndo();
  const look = useLook(questionnaires());
  const [opened, setOpened] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const here = chart.asked.filter((a) => a.visitId === visit);
  const open = may('record_vitals') && !chart.signature && !chart.struck;
  const shown =
    here.find((a) => a.id === opened) ??
    here.find((a) => a.scores.some((s) => s.points == null)) ??
    (here.length === 1 ? here[0] : undefined);
  const path = { path: { id: visit } };
  const ask = async (q: Questionnaire) => {
    const begun = await run(() =>
      api.POST('/api/visits/{id}/questionnaires', { params: path, body: { entry: q.entry } }),
    );
    if (!begun) return;
    setOpened(begun.id);
    const params = { path: { id: visit, response: begun.id } };
    offerUndo(`${q.title} is being asked.`, () => api.DELETE('/api/visits/{id}/questionnaires/{response}', { params }));
  };
  const entries = [...new Set(chart.asked.map((a) => a.asked.entry))];
  return (
    <Stack>
      {open && (
        <Row $gap={2}>
          {look.data?.map((q) => (
            <Button key={q.entry} isDisabled={busy} onPress={() => void ask(q)}>
              Ask {q.title}
            </Button>
          ))}
          {refusal && <Small role="alert">{refusal.message}</Small>}
        </Row>
      )}
      {here.map((a) => (
        <Row key={a.id} $gap={2} data-asked-here={a.asked.title}>
          <strong>{a.asked.title}</strong>
          {a.scores.map((s) => (
            <Tag key={s.title} $tone={s.raised ? 'brass' : 'plain'} data-score={s.title}>
              {s.words}
            </Tag>
          ))}
          <Spread />
          {open && here.length > 1 && a !== shown && (
            <Button $kind="quiet" onPress={() => setOpened(a.id)}>
              Open {a.asked.title}
            </Button>
          )}
        </Row>
      ))}
      {shown && open && <Answering key={shown.id} view={shown} />}
      {entries.map((entry) => {
        const all = chart.asked.filter((a) => a.asked.entry === entry);
        const [latest] = all;
        return latest && all.length > 1 ? <Scores key={entry} of={latest.asked} all={all} /> : null;
      })}
    </Stack>
  );
}
