/** What is being written on a sheet: the part in focus, for which plain words of the quick line are meant, and how each part is
 *  saved at once. */

import { createContext, type ReactNode, useContext, useMemo, useState } from 'react';
import type { Schemas } from '../../api/client';

/** A part of the note: of a run, or of the note as a whole. */
export interface PartAt {
  part: Schemas['NotePart'];
  run: string | null;
}

export const keyOf = (at: PartAt) => `${at.run ?? 'note'}/${at.part}`;

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
}

const Context = createContext<Writing | null>(null);

export function WritingOn({ children }: { children: ReactNode }) {
  const [focus, setFocus] = useState<PartAt | null>(null);
  const [writers] = useState(() => new Map<string, Writer>());
  const value = useMemo(
    () => ({
      focus,
      setFocus,
      writers,
      flushAll: async () => (await Promise.all([...writers.values()].map((w) => w.flush()))).every(Boolean),
    }),
    [focus, writers],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}

export function useWriting(): Writing {
  const writing = useContext(Context);
  if (!writing) throw new Error('outside of a sheet');
  return writing;
}
