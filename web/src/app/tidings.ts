/**
 * What changed, and which questions hang on it.
 *
 * A tiding names what changed by its topic and ids; a question says what it hears. One that knows less matches more: where
 * either side leaves an id open, the question counts as stale, since looking once too often is safe and once too few is not.
 */

import type { components } from '../api/schema';

type Schemas = components['schemas'];

export type Topic = Schemas['Topic'];

export interface Tiding {
  topic: Topic;
  id: string;
  /** Whose visit, policy, payment it is. */
  person?: string | null | undefined;
  /** The days of the schedule that look different now. */
  days?: string[] | undefined;
  /** The change that it comes from: one change may have several tidings. */
  change?: string | undefined;
}

export interface Hears {
  topic: Topic;
  /** Only tidings of these; undefined: of any. */
  id?: string | readonly string[] | undefined;
  person?: string | readonly string[] | undefined;
  day?: string | undefined;
}

const within = (wanted: string | readonly string[] | undefined, told: string | null | undefined) =>
  wanted === undefined || !told || (typeof wanted === 'string' ? wanted === told : wanted.includes(told));

/** Whether what is told makes an answer stale that hears these. */
export function makesStale(tiding: Tiding, hears: readonly Hears[]): boolean {
  if (tiding.topic === 'everything') return true;
  return hears.some(
    (h) =>
      h.topic === tiding.topic &&
      within(h.id, tiding.id) &&
      within(h.person, tiding.person) &&
      (h.day === undefined || !tiding.days || tiding.days.length === 0 || tiding.days.includes(h.day)),
  );
}

/** What the answer to a change says was told by it: the header of that answer. */
export function readTold(header: string | null): Tiding[] {
  if (!header) return [];
  try {
    return JSON.parse(header) as Tiding[];
  } catch {
    return [{ topic: 'everything', id: '' }];
  }
}

/** The changes made at this screen: what the stream tells of them was acted on with their answers. */
export class OwnChanges {
  private readonly ids: string[] = [];
  add(tidings: readonly Tiding[]) {
    for (const { change } of tidings) {
      if (!change || this.ids.includes(change)) continue;
      this.ids.push(change);
      if (this.ids.length > 64) this.ids.shift();
    }
  }
  has(tiding: Tiding) {
    return tiding.change !== undefined && this.ids.includes(tiding.change);
  }
}
