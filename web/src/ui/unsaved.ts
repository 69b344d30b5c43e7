import { createContext, useContext } from 'react';

interface Around {
  /** What was typed is on its way. */
  sent: () => void;
  /** It was refused: what was typed is as unsaved as before. */
  refused: () => void;
}

const nothing = { sent: () => undefined, refused: () => undefined };
export const Unsaved = createContext<Around>(nothing);

/** Tells the dialog around what becomes of what was typed in it. */
export const useUnsaved = () => useContext(Unsaved);
