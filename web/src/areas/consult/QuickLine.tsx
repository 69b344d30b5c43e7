/** The quick line: one line of typing becomes structure, read back while it is typed and kept with Enter. */

import { useEffect, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useUndo } from '../../app/undo';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Mono, Notice, Row, Small, Spread, Table, Tag } from '../../ui/layout';
import { phone, size, space } from '../../ui/tokens';
import { quickLine } from './queries';
import { keyOf, useStateOfAll, useWriting } from './writing';

/** A question mark on a phone: the line itself needs the room. */
const Wide = styled.span`
  @media (max-width: ${phone}) {
    font-size: 0;
    &::after {
      content: '?';
      font-size: ${size.body};
    }
  }
`;

type Item = Schemas['Understood'];

export const standingTone = {
  low: 'tide',
  high: 'brass',
  impossible: 'coral',
  usual: 'plain',
  unjudged: 'plain',
} as const;

/** Sure things are green or as they lie to the usual, doubtful ones ask for a look, words are just words. */
const toneOf = (i: Item) => {
  if (i.kind === 'words') return 'plain';
  if (i.standing && i.standing !== 'usual') return standingTone[i.standing];
  return i.doubtful || i.notKept ? 'brass' : 'kelp';
};

/** What the line understands, by example: what to type, and what it becomes. */
const examples: [string, string][] = [
  ['bp 128/82 sitting left arm', 'Blood pressure; a second reading follows it: bp 150/90 146/88'],
  [
    'hr 72 t 37,1 rr 16 sat 98% pain 3/10',
    'Measurements in any order; also w 150 lb, h 5\'10", waist, hc, pf 350 380, glucose, va r 20/40, sat 95 on room air',
  ],
  ['dx htn, dm2', 'Diagnoses of this visit, by word, short form or code'],
  ['problem asthma since 2010 resolved', 'On the list of problems; one without a sure code stands there in words'],
  [
    'allergy penicillin hives severe',
    'An allergy; also lactose intolerance, side effect lisinopril cough; nkda when none is known',
  ],
  [
    'takes metformin 500 bid since 2019',
    'A medicine that is taken, several with commas; stopped …, not taking …; no meds',
  ],
  ['mother breast cancer 41, father died mi 60', 'Family history'],
  ['smoker 1 ppd for 20 years; no alcohol; works as teacher; lives alone', 'Social history, with pack-years'],
  ['appendectomy 1998; hospitalized for pneumonia 2019', 'Operations and stays in hospital'],
  [
    'tdap given lot A12 left deltoid dose 2; flu shot 2024',
    'Immunisations: given here, with product, lot, site and dose, or reported',
  ],
  ['order cbc, cmp a1c', 'Tests, each under the diagnosis that usually carries it'],
  ['amoxicillin 500 tid 7d', 'A prescription, prefilled; also prn pain, with food, 250/5 5 ml, 2 puffs q4h, 3 refills'],
  ['refer cardiology for palpitations', 'A referral, written in the plan'],
  ['fu 3mo bp', 'Follow-up, written in the plan'],
  ['template sore throat', 'A text template, written into the note; also /cough'],
  ['phq9, gad7', 'A questionnaire, asked on the sheet; also questionnaire and its name'],
];

function Examples({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="What the quick line understands" open onClose={onClose} wide>
      <p>
        A comma or semicolon parts two things; order and units are free. What is told in sentences stays words, and what
        is doubtful is shown so and not kept.
      </p>
      <Table>
        <tbody>
          {examples.map(([typed, becomes]) => (
            <tr key={typed}>
              <td style={{ width: '55%' }}>
                <Mono style={{ whiteSpace: 'normal' }}>{typed}</Mono>
              </td>
              <td>{becomes}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Dialog>
  );
}

/** `main` makes Keep the filled button of the screen. */
export function QuickLine({ visit, chart, main }: { visit: string; chart: Schemas['ChartView']; main: boolean }) {
  const { focus, flushAll, setFact, setToFill } = useWriting();
  const state = useStateOfAll();
  const labels = useWordOf('noteParts');
  const inRun = chart.runs.find((r) => r.id === focus?.run)?.title;
  const into = focus && !chart.signature ? [labels(focus.part), inRun].filter(Boolean).join(' · ') : null;
  const [text, setText] = useState('');
  const [refused, setRefused] = useState<Item[]>([]);
  const [helps, setHelps] = useState(false);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const typed = text.trim().length > 1;
  const read = useLook(quickLine(visit, text), typed);
  const answered = read.data !== undefined || read.error !== null;
  // What the last letters but one said stays until the answer to all of them is here.
  const [before, setBefore] = useState<Item[]>([]);
  useEffect(() => {
    if (read.data) setBefore(read.data.items);
  }, [read.data]);
  // Enter waits for the reading: nothing is kept that was not shown.
  const [wanted, setWanted] = useState(false);
  const params = { path: { id: visit } };
  const keep = async () => {
    // What is written on at the end of a part goes after what is being typed there.
    await flushAll();
    const answer = await run(() =>
      api.POST('/api/visits/{id}/quick-line', {
        params,
        body: { text, keep: true, part: focus?.part ?? null, run: focus?.run ?? null },
      }),
    );
    if (!answer) return;
    // What was typed on meanwhile stays, without what is kept by now.
    setText((now) => (now.startsWith(text) ? answer.left + now.slice(text.length) : now));
    setRefused(answer.items.filter((i) => i.notKept));
    if (answer.done.length > 0) {
      const { done } = answer;
      // What is to be filled in is gone to.
      if (done.some((d) => d.kind === 'questionnaire')) setFact('asked');
      const written = done.find((d) => d.kind === 'written');
      if (written?.kind === 'written' && answer.items.some((i) => i.kind === 'template' && !i.notKept))
        setToFill(keyOf({ part: written.part, run: written.run ?? null }));
      offerUndo(
        `Kept: ${answer.items
          .filter((i) => !i.notKept)
          .map((i) => i.sentence)
          .join('; ')}.`,
        () => api.POST('/api/visits/{id}/quick-line/taken-back', { params, body: { done } }),
      );
    }
  };
  useEffect(() => {
    if (!wanted || !answered || busy) return;
    setWanted(false);
    void keep();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it keeps what stands there once the reading is here
  }, [wanted, answered, busy]);
  const shown = typed ? (read.data?.items ?? before) : [];
  return (
    <Form refusal={refusal} onSave={() => setWanted(typed)}>
      <Row $gap={2}>
        <div style={{ flex: 1, minWidth: 0 }}>
          <Field
            label="Quick line"
            hideLabel
            name="quick"
            value={text}
            onChange={(next) => {
              setText(next);
              setRefused([]);
              setWanted(false);
            }}
            placeholder="Quick line: bp 128/82 hr 72; mother asthma; order cbc; fu 3mo bp"
          />
        </div>
        <Button $kind={main ? 'filled' : undefined} type="submit" isDisabled={busy || text.trim() === ''}>
          Keep
        </Button>
        <Button $kind="quiet" onPress={() => setHelps(true)}>
          <Wide>What it understands</Wide>
        </Button>
      </Row>
      <Row $gap={2} aria-live="polite" data-understood style={{ minHeight: space(7), margin: `${space(1)} 0` }}>
        {shown.map((i, at) => (
          <Tag
            key={`${at} ${i.sentence}`}
            $tone={toneOf(i)}
            data-kind={i.kind}
            data-doubtful={i.doubtful}
            style={{ whiteSpace: 'normal' }}
          >
            {i.kind === 'words' ? `words${into ? ` for ${into}` : ''}: ${i.sentence}` : i.sentence}
            {i.convertedFrom && ` (from ${i.convertedFrom})`}
            {i.notKept && i.kind !== 'words' && ` · ${i.notKept}`}
          </Tag>
        ))}
        {!typed && (
          <Small>
            Enter keeps what is understood; everything can be undone.{into && ` Plain words go to ${into}.`}
          </Small>
        )}
        <Spread />
        {state && (
          <Small data-note-state={state}>
            {{ saved: '✓ all saved', typing: 'typing', saving: 'saving', failed: '✕ not saved' }[state]}
          </Small>
        )}
      </Row>
      {refused.map((i) => (
        <Notice key={i.sentence} $tone="brass" role="alert">
          Not kept: {i.sentence}. {i.notKept}
        </Notice>
      ))}
      <Refused />
      {helps && <Examples onClose={() => setHelps(false)} />}
    </Form>
  );
}
