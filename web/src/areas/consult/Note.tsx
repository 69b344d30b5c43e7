/** The note: parts that save as they are written, diagnoses, signing. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, change, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { useDraft } from '../../app/useDraft';
import { useTimes } from '../../app/words';
import { Form, Refused } from '../../ui/Form';
import { Button, Field } from '../../ui/controls';
import { Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, font, size, space } from '../../ui/tokens';
import { Diagnoses } from './Diagnoses';

type Chart = Schemas['ChartView'];
type Part = Schemas['WrittenPart'];

/** So many lines stand open for a part before anything is written. */
const lines: Record<Schemas['NotePart'], number> = {
  reason: 1,
  history: 3,
  past_history: 2,
  systems: 2,
  examination: 3,
  assessment: 2,
  plan: 3,
  advice: 2,
};

/** The parts of a note as the core lists them, each with its room. */
function useParts(): [Schemas['NotePart'], string, number][] {
  return useWords('noteParts').map((w) => {
    const part = w.id as Schemas['NotePart'];
    return [part, w.label, lines[part]];
  });
}

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
type Writers = Map<Schemas['NotePart'], { flush: () => Promise<boolean>; version: () => number }>;

const heldOf = (saved: Part | undefined) => ({ held: { body: saved?.body ?? '' }, version: saved?.version ?? 0 });

/** Saves a while after the last key, and at once when it is left. */
function PartField(p: {
  visit: string;
  part: Schemas['NotePart'];
  label: string;
  lines: number;
  saved: Part | undefined;
  writers: Writers;
}) {
  const client = useQueryClient();
  const [who, setWho] = useState('');
  const draft = useDraft<{ body: string }>({
    place: `note/${p.visit}/${p.part}`,
    ...heldOf(p.saved),
    wait: 700,
    save: async ({ body = '' }, version) => {
      const params = { path: { id: p.visit, part: p.part } };
      const saved = await change(client, () =>
        api.PUT('/api/visits/{id}/note/{part}', { params, body: { body, version } }),
      );
      // What stands on the screen is left alone while somebody writes: the server's tidying waits for the next look.
      return { held: { body }, version: saved.version };
    },
    theirs: (current) => {
      setWho((current as Part).updatedBy);
      return heldOf(current as Part);
    },
  });
  const { writers, part } = p;
  const { flush, heldVersion } = draft;
  const latest = useRef(heldVersion);
  useEffect(() => {
    latest.current = heldVersion;
  });
  useEffect(() => {
    writers.set(part, { flush, version: () => latest.current() });
    return () => void writers.delete(part);
  }, [writers, part, flush]);
  const state = draft.busy ? 'saving' : draft.refusal ? 'failed' : draft.dirty ? 'typing' : 'saved';
  const word = { saved: draft.local.body ? 'saved' : '', typing: '', saving: 'saving', failed: 'not saved' }[state];
  const [clash] = draft.clashes;
  return (
    <div data-part={p.part} data-state={state}>
      <Field
        label={p.label}
        name={p.part}
        value={draft.local.body}
        onChange={(body) => draft.change({ body })}
        onBlur={() => void flush()}
        lines={p.lines}
        fault={draft.refusal?.message}
        aside={word}
      />
      {clash && (
        <Notice $tone="brass" role="alert">
          <Stack $gap={2}>
            <strong>{who} saved this part in the meantime. What you typed is still here.</strong>
            <span style={{ whiteSpace: 'pre-wrap' }}>Theirs: {String(clash.theirs)}</span>
            <Row>
              <Button onPress={() => draft.decide('theirs')}>Take theirs</Button>
              <Button onPress={() => draft.decide('mine')}>Keep mine</Button>
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
  const parts = useParts();
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
        <Form refusal={refusal} onSave={add}>
          <Field label="Addendum" value={text} onChange={setText} lines={2} name="body" />
          <Refused />
          <Row>
            <Spread />
            <Button type="submit" isDisabled={busy || text.trim() === ''}>
              Add addendum
            </Button>
          </Row>
        </Form>
      )}
    </Sheet>
  );
}

export function Note({ view, chart }: { view: Schemas['VisitView']; chart: Chart }) {
  const { me } = useSession();
  const may = useMay();
  const parts = useParts();
  const { run, busy, refusal } = useDo();
  const visit = view.card.visit;
  const writes = may('write_note');
  const path = { params: { path: { id: visit.id } } };
  const begin = () => void run(() => api.POST('/api/visits/{id}/stage', { ...path, body: { to: 'with_clinician' } }));
  const [writers] = useState<Writers>(() => new Map());
  const navigate = useNavigate();
  // One signature for the note and for the orders that were laid beside it; it says so.
  const drafts = chart.orders.filter((o) => o.order.state === 'draft').length;
  const sign = async () => {
    // Whatever is still being typed is saved first; what cannot be saved says so at its part.
    const saved = await Promise.all([...writers.values()].map((w) => w.flush()));
    if (!saved.every(Boolean)) return;
    // What is signed is what was seen: the versions on this screen, and nothing that came in meanwhile.
    const shown = [...writers].map(([part, w]) => ({ part, version: w.version() })).filter((s) => s.version > 0);
    const others = chart.parts.filter((x) => !writers.has(x.part)).map(({ part, version }) => ({ part, version }));
    const seen = [...shown, ...others];
    if (drafts > 0 && !(await run(() => api.POST('/api/visits/{id}/orders/send', path)))) return;
    const signed = await run(() => api.POST('/api/visits/{id}/sign', { ...path, body: { seen } }));
    // What comes after a signed note are its charges.
    if (signed && may('edit_charges')) void navigate(`/visits/${visit.id}/charges`);
  };
  return (
    <Stack $gap={0}>
      <Sheet>
        <h2>Diagnoses</h2>
        <Diagnoses
          visit={visit.id}
          diagnoses={chart.diagnoses}
          fixed={!writes || view.card.line.marks.some((m) => m.mark === 'charged' && m.at != null)}
        />
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
            {parts.map(([id, label, rows]) => (
              <PartField
                key={id}
                visit={visit.id}
                part={id}
                label={label}
                lines={rows}
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
                Sign the note{drafts > 0 && ` and send ${drafts} ${drafts === 1 ? 'order' : 'orders'}`}
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
