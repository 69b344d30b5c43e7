/** The note: parts that save as they are written, diagnoses, signing. */

import { useEffect, useRef, useState } from 'react';
import styled from 'styled-components';
import { api, type Problem, Refusal, type Schemas, take, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, font, size, space } from '../../ui/tokens';
import { Diagnoses } from './Diagnoses';

type Chart = Schemas['ChartView'];
type Part = Schemas['NotePart'];

const parts: [string, string, number][] = [
  ['reason', 'Reason', 1],
  ['history', 'History of present illness', 3],
  ['past_history', 'Past, family and social history', 2],
  ['examination', 'Examination', 3],
  ['assessment', 'Assessment', 2],
  ['plan', 'Plan', 3],
];

const Written = styled.div`
  margin-bottom: ${space(4)};
  h3 {
    font-size: ${size.small};
    color: ${color.quiet};
    font-weight: 400;
  }
  p {
    white-space: pre-wrap;
    max-width: 78ch;
    font-family: ${font.words};
  }
`;

/** The parts that are being written: each can be saved now, and knows the version that stands on the screen. */
type Writers = Map<string, { flush: () => Promise<boolean>; version: () => number }>;

/** Saves a while after the last key, and at once when it is left. */
function PartField(p: {
  visit: string;
  part: string;
  label: string;
  lines: number;
  saved: Part | undefined;
  writers: Writers;
}) {
  const [text, setText] = useState(p.saved?.body ?? '');
  const [state, setState] = useState<'saved' | 'typing' | 'saving' | 'failed'>('saved');
  const [refusal, setRefusal] = useState<Problem | null>(null);
  const version = useRef(p.saved?.version ?? 0);
  const kept = useRef(p.saved?.body ?? '');
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const typed = useRef(text);
  const saving = useRef(false);
  const incoming = p.saved;
  useEffect(() => {
    // What another screen saved appears here, unless something is being typed over it.
    if (incoming && incoming.version > version.current && typed.current === kept.current) {
      version.current = incoming.version;
      kept.current = incoming.body;
      typed.current = incoming.body;
      setText(incoming.body);
    }
  }, [incoming]);
  const save = async () => {
    clearTimeout(timer.current);
    if (saving.current || typed.current === kept.current) return;
    saving.current = true;
    setState('saving');
    const body = typed.current;
    try {
      const saved = await take(
        api.PUT('/api/visits/{id}/note/{part}', {
          params: { path: { id: p.visit, part: p.part } },
          body: { body, version: version.current },
        }),
      );
      version.current = saved.version;
      kept.current = body;
      setRefusal(null);
      setState(typed.current === body ? 'saved' : 'typing');
    } catch (error) {
      setState('failed');
      if (error instanceof Refusal) setRefusal(error.problem);
    } finally {
      saving.current = false;
      if (typed.current !== kept.current && typed.current !== body) timer.current = setTimeout(() => void save(), 500);
    }
  };
  const latest = useRef(save);
  useEffect(() => {
    latest.current = save;
  });
  useEffect(() => () => void latest.current(), []);
  const { writers, part } = p;
  useEffect(() => {
    const idle = async () => {
      while (saving.current) await new Promise((done) => setTimeout(done, 20));
    };
    const flush = async () => {
      await idle();
      await latest.current();
      await idle();
      return typed.current === kept.current;
    };
    writers.set(part, { flush, version: () => version.current });
    return () => void writers.delete(part);
  }, [writers, part]);
  const change = (value: string) => {
    setText(value);
    typed.current = value;
    setState('typing');
    clearTimeout(timer.current);
    timer.current = setTimeout(() => void latest.current(), 700);
  };
  const theirs = refusal?.type.endsWith(':stale') ? (refusal.current as Part | null) : null;
  const word = { saved: kept.current ? 'saved' : '', typing: '', saving: 'saving', failed: 'not saved' }[state];
  return (
    <div data-part={p.part} data-state={state}>
      <Field
        label={p.label}
        name={p.part}
        value={text}
        onChange={change}
        onBlur={() => void save()}
        lines={p.lines}
        fault={refusal && !theirs ? refusal.detail : undefined}
        aside={word}
      />
      {theirs && (
        <Notice $tone="brass" role="alert">
          <Stack $gap={2}>
            <strong>{theirs.updatedBy} saved this part in the meantime. What you typed is still here.</strong>
            <span style={{ whiteSpace: 'pre-wrap' }}>Theirs: {theirs.body}</span>
            <Row>
              <Button
                onPress={() => {
                  version.current = theirs.version;
                  kept.current = theirs.body;
                  change(theirs.body);
                  setRefusal(null);
                }}
              >
                Take theirs
              </Button>
              <Button
                onPress={() => {
                  version.current = theirs.version;
                  kept.current = theirs.body;
                  setRefusal(null);
                  void save();
                }}
              >
                Keep mine
              </Button>
            </Row>
          </Stack>
        </Notice>
      )}
    </div>
  );
}

function Signed({ chart, visit }: { chart: Chart; visit: string }) {
  const times = useTimes();
  const may = useMay();
  const [text, setText] = useState('');
  const { run, busy, refusal } = useDo();
  const add = async () => {
    if (
      await run(() => api.POST('/api/visits/{id}/addenda', { params: { path: { id: visit } }, body: { body: text } }))
    )
      setText('');
  };
  return (
    <Sheet>
      <Row style={{ marginBottom: space(4) }}>
        <Tag $tone="kelp">✓ signed</Tag>
        <Small>
          {chart.signature &&
            `${chart.signature.signedBy}, ${times.full(chart.signature.signedAt)} ${times.time(chart.signature.signedAt)}`}
        </Small>
      </Row>
      {parts.map(([id, label]) => {
        const body = chart.parts.find((x) => x.part === id)?.body;
        return body ? (
          <Written key={id}>
            <h3>{label}</h3>
            <p>{body}</p>
          </Written>
        ) : null;
      })}
      {chart.addenda.map((a) => (
        <Written key={a.id}>
          <h3>
            Addendum, {a.addedBy}, {times.full(a.addedAt)}
          </h3>
          <p>{a.body}</p>
        </Written>
      ))}
      {may('write_note') && (
        <Stack>
          <Field label="Addendum" value={text} onChange={setText} lines={2} fault={refusal?.fault('body')} />
          <Row>
            <Spread />
            <Button onPress={() => void add()} isDisabled={busy || text.trim() === ''}>
              Add addendum
            </Button>
          </Row>
        </Stack>
      )}
    </Sheet>
  );
}

export function Note({ view, chart }: { view: Schemas['VisitView']; chart: Chart }) {
  const { me } = useSession();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const visit = view.card.visit;
  const writes = may('write_note');
  const path = { params: { path: { id: visit.id } } };
  const begin = () => void run(() => api.POST('/api/visits/{id}/stage', { ...path, body: { to: 'with_clinician' } }));
  const [writers] = useState<Writers>(() => new Map());
  const sign = async () => {
    // Whatever is still being typed is saved first; what cannot be saved says so at its part.
    const saved = await Promise.all([...writers.values()].map((w) => w.flush()));
    if (!saved.every(Boolean)) return;
    // What is signed is what was seen: the versions on this screen, and nothing that came in meanwhile.
    const shown = [...writers].map(([part, w]) => ({ part, version: w.version() })).filter((s) => s.version > 0);
    const others = chart.parts.filter((x) => !writers.has(x.part)).map(({ part, version }) => ({ part, version }));
    const seen = [...shown, ...others];
    await run(() => api.POST('/api/visits/{id}/sign', { ...path, body: { seen } }));
  };
  return (
    <Stack $gap={0}>
      <Sheet>
        <h2>Diagnoses</h2>
        <Diagnoses visit={visit.id} diagnoses={chart.diagnoses} fixed={!writes || visit.chargedAt != null} />
      </Sheet>
      {chart.signature ? (
        <Signed chart={chart} visit={visit.id} />
      ) : writes ? (
        <Sheet>
          <Stack $gap={4}>
            {visit.stage === 'in_room' && (
              <Row>
                <span>The patient is in the room.</span>
                <Button onPress={begin} isDisabled={busy}>
                  Begin the visit
                </Button>
              </Row>
            )}
            {parts.map(([id, label, lines]) => (
              <PartField
                key={id}
                visit={visit.id}
                part={id}
                label={label}
                lines={lines}
                saved={chart.parts.find((x) => x.part === id)}
                writers={writers}
              />
            ))}
            {refusal && (
              <Notice $tone="coral" role="alert">
                {refusal.message}
              </Notice>
            )}
            <Row>
              <Small>Signing fixes the note; later changes are dated addenda.</Small>
              <Spread />
              <Button $kind="filled" onPress={() => void sign()} isDisabled={busy || visit.clinicianId !== me.staff.id}>
                Sign the note
              </Button>
            </Row>
          </Stack>
        </Sheet>
      ) : (
        <Sheet>
          <Small>The note is not signed yet.</Small>
          {parts.map(([id, label]) => {
            const body = chart.parts.find((x) => x.part === id)?.body;
            return body ? (
              <Written key={id}>
                <h3>{label}</h3>
                <p>{body}</p>
              </Written>
            ) : null;
          })}
        </Sheet>
      )}
    </Stack>
  );
}
