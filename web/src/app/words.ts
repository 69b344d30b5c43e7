/** How times, amounts and identities read. */

import type { Schemas } from '../api/client';
import { useSession } from './session';
import { plainDate, sinceWords, timesIn } from './times';

export { plainDate, sinceWords, timesIn };

export const dollars = (cents: number) =>
  `${cents < 0 ? '−' : ''}$${(Math.abs(cents) / 100).toLocaleString('en-US', { minimumFractionDigits: 2 })}`;

/** What somebody owes; paid ahead it is credit, never a negative debt. */
export const owed = (cents: number) => (cents < 0 ? `${dollars(-cents)} credit` : dollars(cents));

export const amountText = (cents: number) => (cents / 100).toFixed(2);

/** Clock and calendar of the clinic, whatever zone the machine stands in. */
export function useTimes() {
  const { clinic, now } = useSession();
  return { ...timesIn(clinic.zone), since: (iso: string) => sinceWords(iso, now) };
}

/** A telephone number as it is said: (207) 555-0142. */
export const telephone = (digits: string | null | undefined) =>
  digits?.length === 10 ? `(${digits.slice(0, 3)}) ${digits.slice(3, 6)}-${digits.slice(6)}` : (digits ?? '');

/** The name of somebody, or the call-sign of the visit while discreet mode is on. */
export function useIdentity() {
  const { discreet } = useSession();
  return (person: Schemas['PersonCard'], callSign?: string) => (discreet ? (callSign ?? '•••••') : person.name);
}

/** A name that stands somewhere without its person, as a payer wrote it; hidden in discreet mode. */
export function useBareName() {
  const { discreet } = useSession();
  return (name: string) => (discreet ? '•••••' : name);
}

/** A telephone number for calling somebody; nothing while discreet mode is on, since it tells who it is. */
export function usePhone() {
  const { discreet } = useSession();
  return (digits: string | null | undefined) => (discreet ? '' : telephone(digits) || 'no telephone');
}

export const sexWord = (sex: string | null | undefined) =>
  ({ F: 'female', M: 'male', U: 'sex unknown' })[sex ?? ''] ?? '';
