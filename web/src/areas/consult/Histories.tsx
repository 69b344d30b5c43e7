/** Family, social, surgical and hospital history, immunisations: what holds, said anew in place, ended with a
 *  reason and taken back. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { typedSince } from '../../app/typedSince';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Form, Refused } from '../../ui/Form';
import { Button, Field } from '../../ui/controls';
import { Mono, Row, Small, Spread, Stack } from '../../ui/layout';
import { Ended } from './Ended';
import { Ending } from './Ending';
import { Former } from './Former';

type History = Schemas['HistoryView'];

/** The code of a relative's condition, where one is sure. */
const codeOf = (h: History) => (h.detail.kind === 'family' ? h.detail.code : null);

/** Says an entry anew, as the line that says it; Enter puts it down, Esc leaves it. */
function Anew(p: { person: string; history: History; typed: string; onDone: () => void }) {
  const [text, setText] = useState(p.typed);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const say = (line: string) =>
    api.PUT('/api/people/{id}/histories/{entry}', {
      params: { path: { id: p.person, entry: p.history.entryId } },
      body: { text: line },
    });
  const save = async () => {
    const now = await run(() => say(text));
    if (!now) return;
    p.onDone();
    if (text !== p.typed) offerUndo(`Now: ${now.words}.`, () => say(p.typed));
  };
  return (
    <Form refusal={refusal} onSave={() => void save()}>
      <Row
        $gap={1}
        onKeyDown={(event) => {
          if (event.key !== 'Escape') return;
          event.stopPropagation();
          p.onDone();
        }}
      >
        <div style={{ flex: 1 }}>
          <Field label={`${p.history.words}, anew`} hideLabel name="text" value={text} onChange={setText} autoFocus />
        </div>
        <Button type="submit" isDisabled={busy || text.trim() === ''}>
          Put down
        </Button>
        <Button $kind="quiet" onPress={p.onDone}>
          Leave it
        </Button>
      </Row>
      <Refused />
    </Form>
  );
}

/** More of somebody's past and life, as lines that say it; Enter puts one down and waits for the next. */
function More({ person }: { person: string }) {
  const [text, setText] = useState('');
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const add = async () => {
    const params = { path: { id: person } };
    const put = await run(() => api.POST('/api/people/{id}/histories', { params, body: { text } }));
    if (!put) return;
    setText(typedSince(text));
    const [first] = put;
    if (first)
      offerUndo(`Put down: ${put.map((h) => h.words).join('; ')}.`, async () => {
        let last = await takenBack(person, first.entryId);
        for (const h of put.slice(1)) last = await takenBack(person, h.entryId);
        return last;
      });
  };
  return (
    <Form refusal={refusal} onSave={() => void add()}>
      <Small>More</Small>
      <Row $gap={1} data-more-histories style={{ alignItems: 'start' }}>
        <div style={{ flex: 1 }}>
          <Field
            label="More of the histories"
            hideLabel
            name="text"
            value={text}
            onChange={setText}
            placeholder="mother asthma at 40, smoker 10/day, appendectomy 1998, flu shot 2024"
          />
        </div>
        <Button type="submit" isDisabled={busy || text.trim() === ''}>
          Put down
        </Button>
      </Row>
      <Refused />
    </Form>
  );
}

const takenBack = (person: string, entry: string) =>
  api.POST('/api/people/{id}/histories/{entry}/taken-back', { params: { path: { id: person, entry } } });

export function Histories({ person, histories }: { person: string; histories: History[] }) {
  const kinds = useWords('historyKinds');
  const may = useMay();
  const times = useTimes();
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const [changing, setChanging] = useState<string | null>(null);
  const end = async (h: History, reason: string) => {
    const params = { path: { id: person, entry: h.entryId } };
    const ended = await run(() => api.POST('/api/people/{id}/histories/{entry}/end', { params, body: { reason } }));
    if (ended)
      offerUndo(`Ended: ${h.words}.`, () => api.POST('/api/people/{id}/histories/{entry}/not-ended', { params }));
  };
  const told = kinds.filter((k) => histories.some((h) => h.kind === k.id));
  return (
    <Stack data-histories>
      {told.length === 0 && <p>Nothing told yet. The quick line takes it too.</p>}
      {told.map((k) => (
        <div key={k.id}>
          <Small>{k.label}</Small>
          {histories
            .filter((h) => h.kind === k.id)
            .map((h) => (
              <Row key={h.entryId} data-history={h.kind}>
                {changing === h.entryId && h.typed ? (
                  <div style={{ flex: 1 }}>
                    <Anew person={person} history={h} typed={h.typed} onDone={() => setChanging(null)} />
                  </div>
                ) : (
                  <span title={`${h.recordedBy}, ${times.full(h.recordedAt)}`}>
                    {h.words} {codeOf(h) && <Mono>{codeOf(h)}</Mono>}
                  </span>
                )}
                {changing !== h.entryId && <Spread />}
                {changing !== h.entryId && <Former person={person} entry={h.entryId} what={h.words} history />}
                {may('record_vitals') && h.typed && changing !== h.entryId && (
                  <Button $kind="quiet" aria-label={`Change ${h.words}`} onPress={() => setChanging(h.entryId)}>
                    Change
                  </Button>
                )}
                {may('record_vitals') && changing !== h.entryId && (
                  <Ending what={h.words} busy={busy} refusal={refusal} onEnd={(reason) => end(h, reason)} />
                )}
              </Row>
            ))}
        </div>
      ))}
      {may('record_vitals') && <More person={person} />}
      <Ended
        person={person}
        list="histories"
        busy={busy}
        onBack={(e) =>
          void run(() =>
            api.POST('/api/people/{id}/histories/{entry}/not-ended', { params: { path: { id: person, entry: e.id } } }),
          )
        }
      />
    </Stack>
  );
}
