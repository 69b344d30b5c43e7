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

interface Writing {
  focus: PartAt | null;
  setFocus: (at: PartAt) => void;
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
  const [writers] = useState(() => new Map<string, Writer>());
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
      writers,
      say,
      flushAll: async () => (await Promise.all([...writers.values()].map((w) => w.flush()))).every(Boolean),
    }),
    [focus, writers, say],
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
