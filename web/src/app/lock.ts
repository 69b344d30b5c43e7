/** The lock of the screen: what is asked while it is locked waits, so that nothing that was typed is lost. */

import { useSyncExternalStore } from 'react';

let locked = false;
let open: (() => void) | null = null;
let opened: Promise<void> = Promise.resolve();
const watching = new Set<() => void>();

function tell() {
  // Everything but the lock itself goes from sight, dialogs too; what was typed stays where it was.
  if (locked) document.body.dataset['locked'] = 'on';
  else delete document.body.dataset['locked'];
  watching.forEach((watch) => watch());
}

export function lockScreen() {
  if (locked) return;
  locked = true;
  opened = new Promise((done) => (open = done));
  tell();
}

export function openScreen() {
  if (!locked) return;
  locked = false;
  open?.();
  tell();
}

/** Resolves once the screen is open. */
export const untilOpen = () => opened;

export function useLocked(): boolean {
  return useSyncExternalStore(
    (watch) => {
      watching.add(watch);
      return () => watching.delete(watch);
    },
    () => locked,
  );
}
