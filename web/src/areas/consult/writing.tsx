/** What is being written on a sheet: the part in focus, for which plain words of the quick line are meant, how each part is saved
 *  at once, and in which state all of it is. */

import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from 'react';
import type { Schemas } from '../../api/client';

/** A part of the note: of a run, or of the note as a whole. */
export interface PartAt {
  part: Schemas['NotePart'];
  run: string | null;
}

export const keyOf = (at: PartAt) => `${at.run ?? 'note'}/${at.part}`;

export type PartState = 'saved' | 'typing' | 'saving' | 'failed';

interface Writer {
  at: PartAt;
  flush: () => Promise<boolean>;
  version: () => number;
}

/** What the strip of facts opens. */
export type Fact = 'visit' | 'measured' | 'allergies' | 'medicines' | 'problems' | 'histories' | 'asked' | 'results';

interface Writing {
  /** The fact that is opened; undefined while nobody chose. */
  fact: Fact | null | undefined;
  setFact: (fact: Fact | null | undefined) => void;
  /** The part whose first unfilled field is to be gone to, as soon as it stands there. */
  toFill: string | null;
  setToFill: (key: string | null) => void;
  focus: PartAt | null;
  setFocus: (at: PartAt) => void;
  /** What was typed and could not be saved, since the note was struck or signed meanwhile: it is shown to be copied. */
  left: ReadonlyMap<string, { label: string; body: string }>;
  leave: (key: string, label: string, body: string) => void;
  /** The part is on the screen again, and with it what was typed. */
  comeBack: (key: string) => void;
  /** Those that are on the screen; each knows the version that stands there. */
  writers: Map<string, Writer>;
  /** Saves all that is typed; false when something could not be saved, which says so at its place. */
  flushAll: () => Promise<boolean>;
  /** Says in which state a part is; nothing when it is no longer on the screen. */
  say: (key: string, state: PartState | null) => void;
}

const Context = createContext<Writing | null>(null);
/** Apart from the rest: it changes with every key, and only one place shows it. */
const States = createContext<ReadonlyMap<string, PartState>>(new Map());

export function WritingOn({ children }: { children: ReactNode }) {
  const [focus, setFocus] = useState<PartAt | null>(null);
  const [fact, setFact] = useState<Fact | null | undefined>(undefined);
  const [toFill, setToFill] = useState<string | null>(null);
  const [writers] = useState(() => new Map<string, Writer>());
  const [left, setLeft] = useState<ReadonlyMap<string, { label: string; body: string }>>(new Map());
  const leave = useCallback(
    (key: string, label: string, body: string) => setLeft((before) => new Map(before).set(key, { label, body })),
    [],
  );
  const comeBack = useCallback(
    (key: string) =>
      setLeft((before) => {
        if (!before.has(key)) return before;
        const next = new Map(before);
        next.delete(key);
        return next;
      }),
    [],
  );
  const [states, setStates] = useState<ReadonlyMap<string, PartState>>(new Map());
  const say = useCallback((key: string, state: PartState | null) => {
    setStates((before) => {
      if ((before.get(key) ?? null) === state) return before;
      const next = new Map(before);
      if (state === null) next.delete(key);
      else next.set(key, state);
      return next;
    });
  }, []);
  const value = useMemo(
    () => ({
      focus,
      setFocus,
      fact,
      setFact,
      toFill,
      setToFill,
      left,
      leave,
      comeBack,
      writers,
      say,
      flushAll: async () => (await Promise.all([...writers.values()].map((w) => w.flush()))).every(Boolean),
    }),
    [focus, fact, toFill, left, leave, comeBack, writers, say],
  );
  return (
    <Context.Provider value={value}>
      <States.Provider value={states}>{children}</States.Provider>
    </Context.Provider>
  );
}

export function useWriting(): Writing {
  const writing = useContext(Context);
  if (!writing) throw new Error('outside of a sheet');
  return writing;
}

/** The state of the whole note: the worst that any of its parts is in; nothing while nothing is written here. */
export function useStateOfAll(): PartState | null {
  const states = new Set(useContext(States).values());
  return (['failed', 'typing', 'saving', 'saved'] as const).find((s) => states.has(s)) ?? null;
}

/** The fields of templates that stand in a part. */
export const fieldsOf = (chart: Schemas['ChartView'], at: PartAt) =>
  chart.toFill.find((p) => p.part === at.part && (p.runId ?? null) === at.run)?.fields ?? none;
const none: Schemas['FieldToFill'][] = [];

/** The signature under one part, when it was signed before the rest. */
export const signedOf = (chart: Schemas['ChartView'], saved: Schemas['WrittenPart'] | undefined) =>
  saved && chart.signedParts.find((s) => s.partId === saved.id);
