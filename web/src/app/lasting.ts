/** What was typed and the server has not got outlives the window: kept in the browser under a key that only its writer is told
 *  (AES-GCM, NIST SP 800-38D), unreadable to whoever signs in next, wiped when it is saved, when its writer signs out, and after a week.
 *  Without a secure context the browser has no such cipher; then nothing is written down. */

import { putBack } from './kept';
import { keyFrom, sealed, unsealed } from './sealing';

/** The field of a place under which it waits. */
export const LASTING = 'lasting';
const prefix = 'harbor-kept/';
const week = 7 * 24 * 3_600_000;

export interface Lasting<T> {
  held: T;
  version: number;
  local: T;
}

interface Own {
  staff: string;
  key: CryptoKey;
}

let own: Own | null = null;
/** The newest word on each place; an older one that is still being written is dropped. */
const turns = new Map<string, number>();
const waiting = new Map<string, ReturnType<typeof setTimeout>>();
const PAUSE = 150;

const nameOf = (staff: string, place: string) => `${prefix}${staff}/${place}`;
const names = () => Object.keys(localStorage).filter((name) => name.startsWith(prefix));

/** Somebody came in: what they left is put back to its places; what is older than a week goes, whoever left it. */
export async function openKept(staff: string, hex: string) {
  own = null;
  if (!globalThis.crypto?.subtle) return;
  // Without a key nothing is kept; nobody is kept out for it.
  const key = await keyFrom(hex).catch(() => null);
  if (!key) return;
  own = { staff, key };
  for (const name of names()) {
    const [at, text] = (localStorage.getItem(name) ?? '').split(' ');
    if (!text || Date.now() - Number(at) > week) {
      localStorage.removeItem(name);
    } else if (name.startsWith(nameOf(staff, ''))) {
      const value = await unsealed(key, text).catch(() => null);
      if (value === null) localStorage.removeItem(name);
      else putBack(name.slice(nameOf(staff, '').length), LASTING, value);
    }
  }
}

async function write(mine: Own, place: string, value: unknown) {
  const turn = (turns.get(place) ?? 0) + 1;
  turns.set(place, turn);
  const text = await sealed(mine.key, value);
  // Saved, or signed out, meanwhile.
  if (turns.get(place) !== turn || own !== mine) return;
  try {
    localStorage.setItem(nameOf(mine.staff, place), `${Date.now()} ${text}`);
  } catch {
    // The browser's place is full: it is still on the page, which says that it is not saved.
  }
}

/** Keeps what is typed at a place until it is saved. */
export function last<T>(place: string, value: Lasting<T>) {
  const mine = own;
  if (!mine) return;
  clearTimeout(waiting.get(place));
  waiting.set(
    place,
    setTimeout(() => void write(mine, place, value), PAUSE),
  );
}

/** It is saved. */
export function wipe(place: string) {
  clearTimeout(waiting.get(place));
  turns.set(place, (turns.get(place) ?? 0) + 1);
  if (own) localStorage.removeItem(nameOf(own.staff, place));
}

/** Whoever signs out leaves nothing behind. */
export function wipeAll() {
  if (!own) return;
  const mine = nameOf(own.staff, '');
  own = null;
  for (const timer of waiting.values()) clearTimeout(timer);
  for (const name of names()) if (name.startsWith(mine)) localStorage.removeItem(name);
}
