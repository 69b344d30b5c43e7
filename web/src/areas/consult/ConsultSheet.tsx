/** The sheet of a visit: facts on top, the note as a document that grows by runs, one signature under all of it. */

import { Lanes } from '../orders/Lanes';
import { useNavigate } from 'react-router';
import { useEffect, useState } from 'react';
import { api, type Schemas, useDo, useSaid } from '../../api/client';
import { type Keys, useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { typedSince } from '../../app/typedSince';
import { useTimes } from '../../app/words';
import { Form, Refused } from '../../ui/Form';
import { Button, Field } from '../../ui/controls';
import { Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import styled from 'styled-components';
import { hair, space } from '../../ui/tokens';
import { Facts } from './Facts';
import { after, before, ofRuns, savedOf, Written } from './NoteBody';
import { PartField, PartRead, PartRow } from './PartField';
import { Runs } from './Runs';
import { fieldsOf, keyOf, signedOf, useWriting } from './writing';

type Chart = Schemas['ChartView'];

const Rule = styled.hr`
  margin: ${space(3)} 0;
  border: 0;
  border-top: ${hair};
`;

/** Brings a field of the sheet into focus. */
const focusOn = (selector: string) => {
  const found = document.querySelector<HTMLElement>(selector);
  found?.scrollIntoView({ block: 'nearest' });
  found?.focus();
};
const quickLine = () => focusOn("input[name='quick']");
/** Opens the first prescription that is not sent yet. */
const nextPrescription = () => {
  const chip = "[data-sheet] [data-script][data-sent='false'] button";
  focusOn(chip);
  document.querySelector<HTMLElement>(chip)?.click();
};
/** Opens the view of all lanes; open, it closes it. */
const lanes = () => document.querySelector<HTMLElement>('[data-lanes-button]')?.click();
const anotherProblem = () => focusOn('#another-problem input');

/** What a key does on the sheet; with Alt also while somebody types. */
const actions: Keys = { q: quickLine, n: anotherProblem, x: nextPrescription, l: lanes };

function Signing({ view, chart }: { view: Schemas['VisitView']; chart: Chart }) {
  const { me } = useSession();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const { writers, flushAll } = useWriting();
  const navigate = useNavigate();
  const visit = view.card.visit;
  const path = { params: { path: { id: visit.id } } };
  // One signature for the note and for the orders that were laid beside it; it says so.
  const drafts = chart.orders.filter((o) => o.order.state === 'draft').length;
  const said = useSaid();
  const unfilled = chart.toFill.flatMap((p) => p.fields.map((f) => f.label));
  const sign = async () => {
    // Whatever is still being typed is saved first; what cannot be saved says so at its part.
    if (!(await flushAll())) return;
    await said();
    // What is signed is what was seen: the versions on this screen, and nothing that came in meanwhile.
    const shown = [...writers.values()].map(({ at, version }) => ({ ...at, version: version() }));
    const others = chart.parts
      .map(({ part, runId, version }) => ({ part, run: runId ?? null, version }))
      .filter((o) => !shown.some((s) => s.part === o.part && s.run === o.run));
    const seen = [...shown.filter((s) => s.version > 0), ...others];
    if (drafts > 0 && !(await run(() => api.POST('/api/visits/{id}/orders/send', path)))) return;
    const signed = await run(() => api.POST('/api/visits/{id}/sign', { ...path, body: { seen } }));
    // What comes after a signed note are its charges.
    if (signed && may('edit_charges')) void navigate(`/visits/${visit.id}/charges`);
  };
  const send = async () => {
    // An answer that was just given is on its way; the orders go after it.
    await said();
    await run(() => api.POST('/api/visits/{id}/orders/send', path));
  };
  return (
    <Stack $gap={2} style={{ marginTop: space(3) }}>
      {chart.mostlyCarried != null && (
        <Notice $tone="brass" data-mostly-carried>
          {chart.mostlyCarried} % of this note stands word for word in earlier ones.
        </Notice>
      )}
      {unfilled.length > 0 && (
        <Notice $tone="brass" data-unfilled>
          Not filled in yet: {unfilled.join(', ')}.
        </Notice>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Row>
        <Small>Signing fixes the note; later changes are dated addenda.</Small>
        <Spread />
        {drafts > 0 && (
          <Button isDisabled={busy} onPress={() => void send()}>
            Sign and send {drafts}
          </Button>
        )}
        <Button $kind="filled" onPress={() => void sign()} isDisabled={busy || visit.clinicianId !== me.staff.id}>
          Sign the note{drafts > 0 && ` and send ${drafts} ${drafts === 1 ? 'order' : 'orders'}`}
        </Button>
      </Row>
    </Stack>
  );
}

/** What somebody was still typing when the note was struck or signed: not in the note, and not lost. */
function LeftBehind({ chart }: { chart: Chart }) {
  const { left } = useWriting();
  const fixed = chart.struck != null || chart.signature != null;
  const signed = chart.parts
    .filter((p) => signedOf(chart, p))
    .map((p) => keyOf({ part: p.part, run: p.runId ?? null }));
  const writable = (key: string) =>
    !fixed && !signed.includes(key) && (key.startsWith('note/') || chart.runs.some((r) => key.startsWith(`${r.id}/`)));
  const shown = [...left].filter(
    ([key, words]) => !writable(key) && !chart.parts.some((p) => p.body === words.body.trim()),
  );
  if (shown.length === 0) return null;
  return (
    <Notice $tone="brass" role="alert" data-left-behind style={{ marginBottom: space(2) }}>
      {chart.struck ? 'The note was struck' : chart.signature ? 'The note was signed' : 'This was signed or taken away'}{' '}
      while you wrote. What follows is not in it; copy what is needed:
      {shown.map(([key, { label, body }]) => (
        <p key={key} style={{ whiteSpace: 'pre-wrap' }}>
          {label}: {body}
        </p>
      ))}
    </Notice>
  );
}

function Cosign({ visit, by }: { visit: string; by: string }) {
  const { run, busy, refusal } = useDo();
  const sign = () => void run(() => api.POST('/api/visits/{id}/co-sign', { params: { path: { id: visit } } }));
  return (
    <Row style={{ marginBottom: space(2) }}>
      <span>{by} signed this note under your supervision.</span>
      <Spread />
      {refusal && <Small role="alert">{refusal.message}</Small>}
      <Button $kind="filled" onPress={sign} isDisabled={busy}>
        Co-sign the note
      </Button>
    </Row>
  );
}

function Addenda({ chart, visit }: { chart: Chart; visit: string }) {
  const times = useTimes();
  const may = useMay();
  const [text, setText] = useState('');
  // While the note goes on, what was signed of it is seldom added to.
  const [wanted, setAsked] = useState(false);
  const asked = wanted || chart.signature != null;
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const params = { path: { id: visit } };
    if (await run(() => api.POST('/api/visits/{id}/addenda', { params, body: { body: text } })))
      setText(typedSince(text));
  };
  return (
    <>
      {chart.addenda.map((a) => (
        <PartRow key={a.id}>
          <div>Addendum</div>
          <div>
            <Small>
              {a.addedBy}, {times.full(a.addedAt)} {times.time(a.addedAt)}
            </Small>
            <p style={{ whiteSpace: 'pre-wrap' }}>{a.body}</p>
          </div>
        </PartRow>
      ))}
      {may('write_note') && !chart.struck && !asked && (
        <Row>
          <Spread />
          <Button $kind="quiet" onPress={() => setAsked(true)}>
            Addendum to what is signed
          </Button>
        </Row>
      )}
      {may('write_note') && !chart.struck && asked && (
        <Form refusal={refusal} onSave={add}>
          <Field label="Addendum" value={text} onChange={setText} lines={2} name="body" autoFocus={wanted} />
          <Refused />
          <Row>
            <Spread />
            <Button type="submit" isDisabled={busy || text.trim() === ''}>
              Add addendum
            </Button>
          </Row>
        </Form>
      )}
    </>
  );
}

export function ConsultSheet({ view, chart, place }: { view: Schemas['VisitView']; chart: Chart; place: string }) {
  const may = useMay();
  const times = useTimes();
  const { me } = useSession();
  const visit = view.card.visit;
  const writes = may('write_note');
  const open = writes && !chart.signature && !chart.struck;
  const charged = view.card.line.marks.some((m) => m.mark === 'charged' && m.at != null);
  useKeys(actions);
  // Also while somebody types, in the quick line above as in the note.
  useEffect(() => {
    const keys = (event: KeyboardEvent) => {
      const act = event.altKey ? actions[event.key.toLowerCase()] : undefined;
      if (!act || document.querySelector('[role=dialog]')) return;
      event.preventDefault();
      act();
    };
    window.addEventListener('keydown', keys);
    return () => window.removeEventListener('keydown', keys);
  }, []);
  const saved = (of: Schemas['NotePart']) => savedOf(chart, of);
  const field = ([id, label, invite]: (typeof before)[number]) => {
    if (ofRuns.includes(id) && !saved(id)?.body) return null;
    const signed = signedOf(chart, saved(id));
    return open && !signed ? (
      <PartField
        key={id}
        visit={visit.id}
        at={{ part: id, run: null }}
        label={label}
        invite={invite}
        saved={saved(id)}
        fields={fieldsOf(chart, { part: id, run: null })}
      />
    ) : (
      <PartRead key={id} label={label} saved={saved(id)} signed={signed} />
    );
  };
  return (
    <Stack $gap={0} data-sheet>
      <Sheet>
        <Facts key={place} chart={chart} of={visit} first={writes && place !== 'rooming' ? null : 'measured'} />
        <Rule />
        {chart.struck && (
          <Notice $tone="coral" data-struck style={{ marginBottom: space(2) }}>
            Struck in error by {chart.struck.struckBy}, {times.full(chart.struck.struckAt)}{' '}
            {times.time(chart.struck.struckAt)}: {chart.struck.reason}
          </Notice>
        )}
        {writes && <LeftBehind chart={chart} />}
        {chart.signature ? (
          <Row style={{ marginBottom: space(2) }}>
            <Tag $tone="kelp">✓ signed</Tag>
            <Small>
              {chart.signature.signedBy}, {times.full(chart.signature.signedAt)} {times.time(chart.signature.signedAt)}
            </Small>
            {chart.cosignature && (
              <Small data-cosigned>
                ✓ co-signed, {chart.cosignature.signedBy}, {times.full(chart.cosignature.signedAt)}{' '}
                {times.time(chart.cosignature.signedAt)}
              </Small>
            )}
          </Row>
        ) : (
          !writes && <Small>The note is not signed yet.</Small>
        )}
        {!chart.struck && chart.signature && !chart.cosignature && chart.head?.supervisingId === me.staff.id && (
          <Cosign visit={visit.id} by={chart.signature.signedBy} />
        )}
        <Written $struck={chart.struck != null}>
          {before.map(field)}
          <Lanes chart={chart} />
          <Runs
            visit={visit.id}
            chart={chart}
            open={open}
            orders={may('prepare_orders') && !chart.signature && !chart.struck}
            fixed={!writes || charged || chart.struck != null}
          />
          {after.map(field)}
        </Written>
        {(chart.signature || chart.signedParts.length > 0) && <Addenda chart={chart} visit={visit.id} />}
        {open && <Signing view={view} chart={chart} />}
      </Sheet>
    </Stack>
  );
}
