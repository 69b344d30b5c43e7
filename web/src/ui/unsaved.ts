import { createContext, useContext } from 'react';

export const Unsaved = createContext<(typed: boolean) => void>(() => undefined);

/** Tells the dialog around whether something typed is still to be saved. */
export const useUnsaved = () => useContext(Unsaved);
