/**
 * What somebody types into a record, until the server has it: one kind of draft for everything that saves as one goes.
 *
 * Three values of each field: what stands on the screen (local), what is on its way (sent), and what the server is known to
 * hold (held), with the version that it holds. A field is still to be saved as long as the local value is not the held one:
 * also when it was typed into while a save was on its way. Only what was changed here is sent. What others change meanwhile
 * is taken over field by field; where both changed one field, and differently, somebody decides.
 */

export type Fields = Record<string, unknown>;

const same = (a: unknown, b: unknown) => a === b || JSON.stringify(a) === JSON.stringify(b);

export interface Clash<T extends Fields> {
  field: keyof T & string;
  mine: unknown;
  theirs: unknown;
}

export interface Sending<T extends Fields> {
  fields: Partial<T>;
  version: number;
}

export class Draft<T extends Fields> {
  local: T;
  held: T;
  version: number;
  /** Fields that somebody else changed too, to another value; nothing is sent until they are decided. */
  clashes: Clash<T>[] = [];
  private sent: Partial<T> | null = null;
  /** The screen that shows it now: one that was left and come back to may have a save under way. */
  watch: () => void = () => undefined;

  constructor(held: T, version: number) {
    this.local = held;
    this.held = held;
    this.version = version;
  }

  private keys(): (keyof T & string)[] {
    return Object.keys(this.held) as (keyof T & string)[];
  }

  change(fields: Partial<T>) {
    this.local = { ...this.local, ...fields };
  }

  /** What is typed and not held by the server. */
  changed(): (keyof T & string)[] {
    return this.keys().filter((k) => !same(this.local[k], this.held[k]));
  }

  get dirty(): boolean {
    return this.changed().length > 0;
  }

  get sending(): boolean {
    return this.sent !== null;
  }

  /** Begins to save: what to send, or nothing when there is nothing, or something is on its way, or has to be decided. */
  send(): Sending<T> | null {
    if (this.sent || this.clashes.length > 0 || !this.dirty) return null;
    this.sent = Object.fromEntries(this.changed().map((k) => [k, this.local[k]])) as Partial<T>;
    return { fields: this.sent, version: this.version };
  }

  /** The save arrived: the server holds this now. What was typed meanwhile stays, and is still to be saved. */
  saved(held: T, version: number) {
    const sent: Partial<T> = this.sent ?? {};
    this.sent = null;
    const local = { ...this.local };
    for (const k of this.keys()) {
      const untouched = k in sent ? same(this.local[k], sent[k]) : same(this.local[k], this.held[k]);
      if (untouched) local[k] = held[k];
    }
    this.local = local;
    this.held = held;
    this.version = version;
    this.watch();
  }

  /** The save was refused or lost: everything is still to be saved. */
  refused() {
    this.sent = null;
    this.watch();
  }

  /** Somebody else's save, by a tiding or by the refusal of a stale one. */
  arrived(held: T, version: number) {
    if (version <= this.version || this.sent) return;
    const local = { ...this.local };
    const clashes: Clash<T>[] = [];
    for (const k of this.keys()) {
      const mine = !same(this.local[k], this.held[k]);
      // What was asked about and not decided is still to be decided, whatever else has arrived since.
      const theirs = !same(held[k], this.held[k]) || this.clashes.some((c) => c.field === k);
      if (!mine) local[k] = held[k];
      else if (theirs && !same(held[k], this.local[k]))
        clashes.push({ field: k, mine: this.local[k], theirs: held[k] });
    }
    this.local = local;
    this.held = held;
    this.version = version;
    this.clashes = clashes;
  }

  /** Settles what both changed. */
  decide(whose: 'mine' | 'theirs') {
    if (whose === 'theirs') this.change(Object.fromEntries(this.clashes.map((c) => [c.field, c.theirs])) as Partial<T>);
    this.clashes = [];
  }
}
