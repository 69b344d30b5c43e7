/** One part of a note as it is written: it saves itself, says in which state it is, from where it was carried and who reviewed it. */

import { useQueryClient } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import styled from 'styled-components';
import { api, change, type Schemas, useDo, useLook } from '../../api/client';
import { useDraft } from '../../app/useDraft';
import { useTimes } from '../../app/words';
import { Menu } from '../../ui/choices';
import { Button } from '../../ui/controls';
import { Words } from '../../ui/Words';
import { Notice, Row, Small, Stack } from '../../ui/layout';
import { color, part, phone, size, space, stroke } from '../../ui/tokens';
import { FieldAsked, useFilling, useToFill } from './Filling';
import { lastTime } from './queries';
import { FindTemplate, TemplatesOffered, usePutTemplate } from './Templates';
import { keyOf, type PartAt, useWriting } from './writing';

type Part = Schemas['WrittenPart'];

/** A label in the gutter, the words in one measure. */
export const PartRow = styled.div`
  display: grid;
  grid-template-columns: ${part.gutter} minmax(0, 1fr);
  gap: ${space(2)};
  align-items: start;
  max-width: ${part.measure};
  > :first-child {
    padding-top: ${space(1)};
    font-size: ${size.small};
    color: ${color.quiet};
  }
  &[data-carried='true'] textarea {
    color: ${color.quiet};
    border-left: ${stroke.edge} dashed ${color.brass};
  }
  @media (max-width: ${phone}) {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
`;

/** Where it lies as words that are written lie. */
const Read = styled.div`
  padding: ${space(0.5)} ${space(2)};
  border-left: ${stroke.edge} solid transparent;
  line-height: 1.5;
`;

const heldOf = (saved: Part | undefined) => ({ held: { body: saved?.body ?? '' }, version: saved?.version ?? 0 });

/** Asked before one part is signed: it cannot be undone. */
function SignThis(p: { label: string; busy: boolean; onSign: () => void; onClose: () => void }) {
  const keys = (event: KeyboardEvent) => {
    if (event.key !== 'Escape') return;
    event.preventDefault();
    event.stopPropagation();
    p.onClose();
  };
  return (
    <Row $gap={2} onKeyDown={keys} data-sign-this>
      <Small>Signed, it stays as it is; later changes are dated addenda.</Small>
      <Button autoFocus isDisabled={p.busy} onPress={p.onSign}>
        Sign “{p.label}” alone
      </Button>
      <Button $kind="quiet" onPress={p.onClose}>
        Not now
      </Button>
    </Row>
  );
}

/** The field that is written in after this one. */
const fieldAfter = (area: HTMLTextAreaElement | null | undefined) => {
  const all = [...document.querySelectorAll<HTMLTextAreaElement>('[data-sheet] textarea')];
  return area ? all[all.indexOf(area) + 1] : undefined;
};

/** What an empty part said last time, offered while it has the focus. */
function LastTime({ visit, at, onTake, busy }: { visit: string; at: PartAt; onTake: () => void; busy: boolean }) {
  const times = useTimes();
  const look = useLook(lastTime(visit, at));
  if (!look.data) return null;
  const short = look.data.body.length > 90 ? `${look.data.body.slice(0, 90)}…` : look.data.body;
  return (
    <Row $gap={2} data-last-time style={{ flexWrap: 'nowrap' }}>
      <Small style={{ minWidth: 0 }}>
        {times.day(look.data.day)}: {short}
      </Small>
      <Button $kind="quiet" isDisabled={busy} onPress={onTake} excludeFromTabOrder>
        Carry over ↑
      </Button>
    </Row>
  );
}

export function PartField(p: {
  visit: string;
  at: PartAt;
  label: string;
  /** What it is part of, for whoever does not see it. */
  of?: string;
  saved: Part | undefined;
  /** Fields of a template that stand in it. */
  fields: Schemas['FieldToFill'][];
  invite?: string;
}) {
  const client = useQueryClient();
  const times = useTimes();
  const [who, setWho] = useState('');
  const [inFocus, setInFocus] = useState(false);
  const { setFocus, writers, say, toFill, setToFill, leave, comeBack } = useWriting();
  const [finds, setFinds] = useState(false);
  const [signing, setSigning] = useState(false);
  const place = useRef<HTMLDivElement>(null);
  const { run, busy, refusal } = useDo();
  const params = { path: { id: p.visit, part: p.at.part } };
  const draft = useDraft<{ body: string }>({
    place: `note/${p.visit}/${keyOf(p.at)}`,
    ...heldOf(p.saved),
    wait: 700,
    save: async ({ body = '' }, version) => {
      const saved = await change(client, () =>
        api.PUT('/api/visits/{id}/note/{part}', { params, body: { body, version, run: p.at.run } }),
      );
      // What stands on the screen is left alone while somebody writes: the server's tidying waits for the next look.
      return { held: { body }, version: saved.version };
    },
    theirs: (current) => {
      setWho((current as Part).updatedBy);
      return heldOf(current as Part);
    },
  });
  const key = keyOf(p.at);
  const { flush, heldVersion } = draft;
  const latest = useRef(heldVersion);
  useEffect(() => {
    latest.current = heldVersion;
  });
  const { part: ofPart, run: ofRun } = p.at;
  useEffect(() => {
    writers.set(key, { at: { part: ofPart, run: ofRun }, flush, version: () => latest.current() });
    return () => void writers.delete(key);
  }, [writers, key, flush, ofPart, ofRun]);

  const { body } = draft.local;
  // Taken away while something was not saved: it is not lost with the field.
  const unsaved = useRef({ label: p.label, body: '' });
  useEffect(() => {
    unsaved.current = { label: p.label, body: draft.dirty ? body : '' };
  });
  useEffect(() => {
    comeBack(key);
    return () => {
      const { label, body: typed } = unsaved.current;
      if (typed !== '') leave(key, label, typed);
    };
  }, [key, leave, comeBack]);
  const untouched = p.saved !== undefined && p.saved.body === body;
  const carried = untouched && p.saved?.carried === true;
  const carryOver = () =>
    void run(() =>
      api.POST('/api/visits/{id}/note/{part}/carried', {
        params,
        body: { version: latest.current(), run: p.at.run },
      }),
    );
  const review = async (reviewed: boolean) => {
    if (!(await flush())) return;
    await run(() =>
      api.PUT('/api/visits/{id}/note/{part}/reviewed', {
        params,
        body: { version: latest.current(), run: p.at.run, reviewed },
      }),
    );
  };
  const sign = async () => {
    if (!(await flush())) return;
    const next = fieldAfter(place.current?.querySelector('textarea'));
    const body = { version: latest.current(), run: p.at.run };
    if (await run(() => api.POST('/api/visits/{id}/note/{part}/signed', { params, body }))) next?.focus();
  };
  const backToWords = () => place.current?.querySelector('textarea')?.focus();
  const closeFinder = () => setFinds(false);
  // The list that was chosen from takes the focus with it as it goes.
  const found = useRef(false);
  useEffect(() => {
    if (found.current && !finds) place.current?.querySelector('textarea')?.focus();
    found.current = finds;
  }, [finds]);
  const template = usePutTemplate(p.visit, p.at);
  const mine = p.saved?.reviewedAt != null;
  const filling = useFilling({
    area: () => place.current?.querySelector('textarea') ?? null,
    body,
    fields: p.fields,
    change: (next) => draft.change({ body: next }),
  });
  useToFill({ mine: toFill === key, body, fields: p.fields, first: filling.first, done: () => setToFill(null) });
  const keys = (event: KeyboardEvent<HTMLElement>) => {
    filling.keys(event);
    if (event.defaultPrevented) return;
    if (event.altKey && event.key.toLowerCase() === 't') {
      event.preventDefault();
      setFinds(true);
    } else if (event.altKey && event.key.toLowerCase() === 'r' && body.trim() !== '') {
      event.preventDefault();
      void review(!mine);
    } else if (event.altKey && event.key.toLowerCase() === 's' && body.trim() !== '') {
      event.preventDefault();
      setSigning(true);
    } else if (event.key === 'ArrowUp' && !event.altKey && body === '' && (p.saved?.body ?? '') === '') {
      event.preventDefault();
      carryOver();
    }
  };
  const state = draft.busy ? 'saving' : draft.refusal ? 'failed' : draft.dirty ? 'typing' : 'saved';
  useEffect(() => say(key, state), [say, key, state]);
  useEffect(() => () => say(key, null), [say, key]);
  const [clash] = draft.clashes;
  return (
    <PartRow data-part={p.at.part} data-state={state} data-carried={carried} data-kept={Boolean(p.saved?.body)}>
      <div>
        <Menu
          label={p.label}
          gutter={`${p.label}${p.of ? `: ${p.of}` : ''}, what can be done`}
          items={[
            ...(body.trim() === ''
              ? [{ id: 'carry', label: 'What it said last time (↑)', onChoose: carryOver }]
              : [
                  {
                    id: 'review',
                    label: `${mine ? 'Not reviewed' : 'Reviewed'} (Alt+R)`,
                    onChoose: () => void review(!mine),
                  },
                  { id: 'sign', label: 'Sign this part (Alt+S)', onChoose: () => setSigning(true) },
                ]),
            { id: 'text', label: 'Text template (Alt+T)', onChoose: () => setFinds(true) },
          ]}
        />
      </div>
      <Stack
        $gap={0}
        onFocus={() => {
          setInFocus(true);
          setFocus(p.at);
        }}
        onBlur={() => {
          setInFocus(false);
          filling.leave();
        }}
        ref={place}
        onKeyDown={keys}
      >
        <Words
          label={p.of ? `${p.label}: ${p.of}` : p.label}
          name={p.at.part}
          value={body}
          placeholder={p.invite ?? ''}
          onChange={(next) => draft.change({ body: next })}
          onBlur={() => void flush()}
          fault={draft.refusal?.message ?? refusal?.message}
        />
        <FieldAsked filling={filling} />
        {inFocus && body === '' && (p.saved?.body ?? '') === '' && (
          <>
            <LastTime visit={p.visit} at={p.at} onTake={carryOver} busy={busy} />
            <TemplatesOffered
              visit={p.visit}
              at={p.at}
              busy={template.busy}
              onTake={(t) => void template.put(t)}
              onAll={() => setFinds(true)}
            />
          </>
        )}
        {finds && (
          <FindTemplate
            visit={p.visit}
            onTake={(t) => {
              // Whoever types on types in the part.
              closeFinder();
              void template.put(t);
            }}
            onClose={closeFinder}
          />
        )}
        {template.refusal && <Small role="alert">{template.refusal.message}</Small>}
        {signing && (
          <SignThis
            label={p.label}
            busy={busy}
            onSign={() => void sign()}
            onClose={() => {
              setSigning(false);
              backToWords();
            }}
          />
        )}
        {carried && p.saved && (
          <Row $gap={2}>
            <Small>Carried from an earlier note; change it, or mark it as reviewed.</Small>
            <Button $kind="quiet" isDisabled={busy} onPress={() => void review(true)} excludeFromTabOrder>
              Reviewed
            </Button>
          </Row>
        )}
        {untouched && p.saved?.reviewedAt && (
          <Small data-reviewed>
            ✓ Reviewed by {p.saved.reviewedBy}, {times.full(p.saved.reviewedAt)} {times.time(p.saved.reviewedAt)}
          </Small>
        )}
        {clash && (
          <Notice $tone="brass" role="alert">
            <Stack $gap={2}>
              <strong>
                {who || p.saved?.updatedBy} saved this part in the meantime. What you typed is still here.
              </strong>
              <span style={{ whiteSpace: 'pre-wrap' }}>Theirs: {String(clash.theirs)}</span>
              <Row>
                <Button onPress={() => draft.decide('theirs')}>Take theirs</Button>
                <Button onPress={() => draft.decide('mine')}>Keep mine</Button>
              </Row>
            </Stack>
          </Notice>
        )}
      </Stack>
    </PartRow>
  );
}

/** A part that is only read: by whoever does not write it, or once it is signed. */
export function PartRead(p: {
  label: string;
  saved: Part | undefined;
  /** Its own signature, when it was signed before the rest. */
  signed?: Schemas['PartSignature'] | undefined;
}) {
  const { label, saved, signed } = p;
  const times = useTimes();
  if (!saved?.body) return null;
  return (
    <PartRow data-part-read={saved.part}>
      <div>{label}</div>
      <Read>
        <p style={{ whiteSpace: 'pre-wrap' }}>{saved.body}</p>
        {signed && (
          <Small data-signed-part>
            ✓ Signed by {signed.signedBy}, {times.full(signed.signedAt)} {times.time(signed.signedAt)}
          </Small>
        )}
        {saved.carried && <Small>Carried from an earlier note, and not looked at since.</Small>}
        {saved.reviewedAt && (
          <Small data-reviewed>
            ✓ Reviewed by {saved.reviewedBy}, {times.full(saved.reviewedAt)} {times.time(saved.reviewedAt)}
          </Small>
        )}
      </Read>
    </PartRow>
  );
}
