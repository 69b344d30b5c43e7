/**
 * A draft on a screen: typed here, saved as one goes, never lost on the way.
 *
 * It saves a while after the last key when `wait` is given, and whenever it is flushed: when a part is left, before something is
 * signed or finished. What cannot be saved stays here and says so; a page that is left or loaded again asks first, and a screen
 * that is left finds it again.
 */

import { useCallback, useEffect, useReducer, useRef, useState } from 'react';
import { Refusal } from '../api/client';
import { Draft, type Fields } from './draft';
import { keep, takeKept } from './kept';
import { LASTING, last, type Lasting, wipe } from './lasting';

export interface Held<T> {
  held: T;
  version: number;
}

interface Wanted<T extends Fields> extends Held<T> {
  /** One record or part, for finding its draft again: person/ID. */
  place: string;
  save: (fields: Partial<T>, version: number) => Promise<Held<T>>;
  /** What the record holds now, as the refusal of a stale save tells it. */
  theirs: (current: unknown) => Held<T>;
  /** Milliseconds after the last key; undefined: only when flushed. */
  wait?: number;
}

const RETRY = 4_000;
/** Milliseconds of typing that nobody has saved, at most. */
const MOST_AT_RISK = 900;
/** Saves that met somebody else's, one after another, before it is given up for now. */
const MOST_STALE = 3;

/** Drafts on this page that the server has not got yet. */
const open = new Set<() => boolean>();
/** Whether something is typed here that the server has not got. */
export const anythingUnsaved = () => [...open].some((dirty) => dirty());
addEventListener('beforeunload', (event) => {
  if (anythingUnsaved()) event.preventDefault();
});

export function useDraft<T extends Fields>(wanted: Wanted<T>) {
  const { place } = wanted;
  const [draft] = useState(() => {
    const left = takeKept<{ draft: Draft<T> }>(place, 'draft')?.draft;
    if (left) return left;
    const lasting = takeKept<Lasting<T>>(place, LASTING);
    if (!lasting) return new Draft<T>(wanted.held, wanted.version);
    // Typed before the window was closed: it is to be saved over what stood there then.
    const again = new Draft<T>(lasting.held, lasting.version);
    again.change(lasting.local);
    return again;
  });
  const [, render] = useReducer((n: number) => n + 1, 0);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const latest = useRef(wanted);
  const running = useRef<Promise<boolean> | null>(null);
  const again = useRef(false);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const mounted = useRef(true);
  const unsavedSince = useRef<number | null>(null);

  useEffect(() => {
    latest.current = wanted;
  });
  const { held, version } = wanted;
  useEffect(() => {
    if (version > draft.version && !draft.sending) {
      draft.arrived(held, version);
      render();
    }
  }, [draft, held, version]);

  const once = useCallback(async (): Promise<'saved' | 'nothing' | 'stale' | 'failed'> => {
    const sending = draft.send();
    if (!sending) return 'nothing';
    render();
    try {
      const answer = await latest.current.save(sending.fields, sending.version);
      draft.saved(answer.held, answer.version);
      if (!draft.dirty) wipe(place);
      setRefusal(null);
      return 'saved';
    } catch (error) {
      draft.refused();
      if (!(error instanceof Refusal)) throw error;
      if (error.is('stale') && error.problem.current) {
        const theirs = latest.current.theirs(error.problem.current);
        draft.arrived(theirs.held, theirs.version);
        // What only they changed is taken over; nothing has to be asked.
        if (draft.clashes.length === 0) return 'stale';
      } else {
        setRefusal(error);
        // The line was down: what was typed goes as soon as it is up.
        if (error.is('offline') && latest.current.wait !== undefined && mounted.current)
          timer.current = setTimeout(() => void flushed.current(), RETRY);
      }
      return 'failed';
    } finally {
      render();
    }
  }, [draft, place]);

  /** Saves everything that is typed by now, also what was typed while an earlier save was on its way. */
  const flush = useCallback((): Promise<boolean> => {
    clearTimeout(timer.current);
    unsavedSince.current = null;
    if (running.current) {
      again.current = true;
      return running.current;
    }
    const work = async () => {
      let stale = 0;
      for (;;) {
        again.current = false;
        const went = await once();
        if (went === 'stale' && ++stale < MOST_STALE) continue;
        if (went === 'failed' || !again.current) break;
      }
      return !draft.dirty && draft.clashes.length === 0;
    };
    running.current = work().finally(() => {
      running.current = null;
    });
    return running.current;
  }, [draft, once]);
  const flushed = useRef(flush);
  useEffect(() => {
    flushed.current = flush;
  });

  useEffect(() => {
    const dirty = () => draft.dirty;
    mounted.current = true;
    draft.watch = render;
    // What lasted from a closed window goes now.
    if (draft.dirty && latest.current.wait !== undefined) void flushed.current();
    open.add(dirty);
    return () => {
      mounted.current = false;
      open.delete(dirty);
      // Whoever comes back before it is saved, or after it could not be, finds it here.
      if (!draft.dirty) return;
      keep(place, 'draft', { draft });
      void flushed.current().then((done) => done && takeKept(place, 'draft'));
    };
  }, [draft, place]);

  const change = (fields: Partial<T>) => {
    draft.change(fields);
    render();
    if (draft.dirty) last(place, { held: draft.held, version: draft.version, local: draft.local });
    else wipe(place);
    clearTimeout(timer.current);
    if (wanted.wait === undefined) return;
    // Whoever types on without a pause is saved all the same: no more than a second is ever at risk.
    unsavedSince.current ??= Date.now();
    const left = Math.max(0, unsavedSince.current + MOST_AT_RISK - Date.now());
    timer.current = setTimeout(() => void flush(), Math.min(wanted.wait, left));
  };
  const decide = (whose: 'mine' | 'theirs') => {
    draft.decide(whose);
    render();
    void flush();
  };
  return {
    local: draft.local,
    version: draft.version,
    dirty: draft.dirty,
    busy: draft.sending,
    clashes: draft.clashes,
    refusal,
    change,
    decide,
    flush,
    /** What the server holds by now, for whoever signs what was seen. */
    heldVersion: () => draft.version,
  };
}
