/** What was typed into a dialog and left, by Esc or by a press beside it: it is there again when the same dialog is
 *  opened again, until it is saved. Kept in this page only, for half an hour, and for nobody who signs in after. */

import { useState } from 'react';

const minutes = 30;
const places = new Map<string, { at: number; values: Map<string, unknown> }>();

function valuesOf(place: string) {
  const found = places.get(place);
  if (found && Date.now() - found.at < minutes * 60_000) return found.values;
  const values = new Map<string, unknown>();
  places.set(place, { at: Date.now(), values });
  return values;
}

/** Like useState, but what was set outlives the dialog. `place` is one dialog about one thing: book/SLOT. */
export function useKept<T>(place: string, field: string, initial: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => {
    const values = valuesOf(place);
    return values.has(field) ? (values.get(field) as T) : initial;
  });
  const change = (next: T) => {
    valuesOf(place).set(field, next);
    setValue(next);
  };
  return [value, change];
}

/** Keeps something of a place beyond its screen, and gives it back once. */
export const keep = (place: string, field: string, value: unknown) => void valuesOf(place).set(field, value);
export function takeKept<T>(place: string, field: string): T | undefined {
  const values = valuesOf(place);
  const value = values.get(field) as T | undefined;
  values.delete(field);
  return value;
}

/** What was kept of a place is saved, or nobody's any more. */
export const forget = (place: string) => void places.delete(place);
export const forgetEverything = () => places.clear();

/** Puts something down for whoever comes to a place next: what lasted from a window that was closed. */
export const putBack = (place: string, field: string, value: unknown) => void valuesOf(place).set(field, value);
