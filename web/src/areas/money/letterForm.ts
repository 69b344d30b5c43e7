/** What is typed of a payer's letter, and how it is sent. */

import type { Schemas } from '../../api/client';

/** The reasons that nearly every letter names, each with its own column: who bears it, and the payer's code. */
export const USUAL = [
  { label: 'Contract', group: 'CO', reason: '45' },
  { label: 'Deductible', group: 'PR', reason: '1' },
  { label: 'Coinsurance', group: 'PR', reason: '2' },
  { label: 'Copay', group: 'PR', reason: '3' },
] as const;

export interface TypedReason {
  group: string;
  reason: string;
  amount: string;
}

export interface TypedLine {
  paid: string;
  /** In the order of the usual columns. */
  usual: string[];
  others: TypedReason[];
}

export interface TypedClaim {
  known: Schemas['LetterClaimView'];
  takesBack: boolean;
  payerClaimNumber: string;
  lines: TypedLine[];
}

export interface TypedLetter {
  payerId: string;
  trace: string;
  paidOn: string;
  method: string;
  amount: string;
  claims: TypedClaim[];
  outside: { reason: string; reference: string; amount: string }[];
}

export const emptyLetter: TypedLetter = {
  payerId: '',
  trace: '',
  paidOn: '',
  method: 'CHK',
  amount: '',
  claims: [],
  outside: [],
};

export const emptyReason: TypedReason = { group: 'CO', reason: '', amount: '' };

export const claimOf = (known: Schemas['LetterClaimView']): TypedClaim => ({
  known,
  takesBack: false,
  payerClaimNumber: '',
  lines: known.lines.map(() => ({ paid: '', usual: USUAL.map(() => ''), others: [] })),
});

export const sent = (t: TypedLetter): Schemas['LetterForm'] => ({
  payerId: t.payerId,
  trace: t.trace,
  paidOn: t.paidOn,
  method: t.method,
  amount: t.amount,
  outside: t.outside,
  claims: t.claims.map((c) => ({
    number: c.known.number,
    takesBack: c.takesBack,
    payerClaimNumber: c.payerClaimNumber,
    lines: c.lines.map((l, n) => ({
      number: n + 1,
      paid: l.paid,
      reasons: [
        ...USUAL.map((u, at) => ({ group: u.group, reason: u.reason, amount: l.usual[at] ?? '' })),
        ...l.others,
      ],
    })),
  })),
});

/** The same list with one of it changed. */
export const withOne = <T>(list: readonly T[], at: number, change: Partial<T>): T[] =>
  list.map((one, n) => (n === at ? { ...one, ...change } : one));
