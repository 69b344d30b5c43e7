/** The sheet of keys, as `?` shows it: those of every screen, and before them those of the screen in sight. */

export interface KeyLine {
  keys: string;
  does: string;
  /** Only for whoever may do that. */
  needs?: string;
}

/** By the beginning of the address. */
export const keysOfScreen: Record<string, KeyLine[]> = {
  '/today': [{ keys: '[ and ]', does: 'The task before, and after' }],
  '/schedule': [
    { keys: '[ and ]', does: 'The day, week or month before, and after' },
    { keys: 'm', does: 'Take up the visit in hand, to lay it down at another time', needs: 'book' },
    { keys: 'Enter on a free slot', does: 'Book it; in More: the waiting list, a note, lists to print' },
  ],
  '/in-clinic': [{ keys: '[ and ]', does: 'The person before, and after' }],
  '/visits': [
    { keys: '[ and ]', does: 'At check-in: the one before, and after, of the household' },
    { keys: 'q, or Alt+Q while writing', does: 'On the sheet: the quick line', needs: 'record_vitals' },
    { keys: 'n, or Alt+N while writing', does: 'On the sheet: another problem', needs: 'write_note' },
    {
      keys: 'x, or Alt+X while writing',
      does: 'On the sheet: the next prescription not sent yet',
      needs: 'write_note',
    },
    {
      keys: 'Alt+↑ and Alt+↓',
      does: 'In a problem: move it up or down; the main one stands first',
      needs: 'write_note',
    },
    { keys: '↑ in an empty part', does: 'Carry over what it said last time', needs: 'write_note' },
    {
      keys: 'Alt+T in a part',
      does: 'A text template; Tab goes through its fields, numbers choose',
      needs: 'write_note',
    },
    { keys: '1 to 9 at a question', does: 'Answer it, and on to the next', needs: 'record_vitals' },
    { keys: 'Alt+R in a part', does: 'Mark it as reviewed, or take your mark back', needs: 'write_note' },
    { keys: 'Alt+S in a part', does: 'Sign this part alone, before the rest', needs: 'write_note' },
    {
      keys: 'l, or Alt+L while writing',
      does: 'On the sheet: every order beside its diagnoses, and close it again',
      needs: 'prepare_orders',
    },
    {
      keys: '1 … 9',
      does: 'With an order in focus: put it under that diagnosis, or take it out',
      needs: 'prepare_orders',
    },
    { keys: '0 and b', does: 'With an order in focus: under all, and where it fits better', needs: 'prepare_orders' },
    { keys: 'e', does: 'At check-in: what the visit is about', needs: 'book' },
  ],
  '/results': [{ keys: '[ and ]', does: 'The result before, and after' }],
  '/people/': [{ keys: 'e', does: 'The registration', needs: 'edit_people' }],
  '/people': [{ keys: 'n', does: 'New person', needs: 'edit_people' }],
  '/billing': [
    { keys: '[ and ]', does: 'The claim before, and after' },
    { keys: 'Shift+click, Ctrl+A', does: 'A range of claims, all of them', needs: 'claims' },
  ],
};

export const keysOfEveryScreen: KeyLine[] = [
  { keys: 'Ctrl+K or /', does: 'Command bar: people, codes, places, actions' },
  { keys: 'g then a letter', does: 't Today, s Schedule, c In clinic, p People, r Results, b Billing' },
  { keys: '.', does: 'Move the visit in hand on to its next stage; who did not come is here after all' },
  { keys: ',', does: 'Take back the last move, when it was yours' },
  { keys: 'd', does: 'Discreet mode: call-signs instead of names' },
  { keys: 'o', does: 'Open times' },
  { keys: 'Ctrl+Enter', does: 'The filled button' },
  { keys: 'Esc', does: 'Leave, without losing what was typed' },
  { keys: '?', does: 'This sheet' },
];

/** Those of a screen, for whoever may use them. */
export const keysAt = (pathname: string, may: (permission: string) => boolean): KeyLine[] => {
  const lines = Object.entries(keysOfScreen).find(([path]) => pathname.startsWith(path))?.[1] ?? [];
  return lines.filter((l) => l.needs === undefined || may(l.needs));
};
