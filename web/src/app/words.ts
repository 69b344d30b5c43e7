/** How times, amounts and identities read. */

import type { Schemas } from '../api/client';
import { useSession } from './session';

export const dollars = (cents: number) =>
  `${cents < 0 ? '−' : ''}$${(Math.abs(cents) / 100).toLocaleString('en-US', { minimumFractionDigits: 2 })}`;

/** What somebody owes; paid ahead it is credit, never a negative debt. */
export const owed = (cents: number) => (cents < 0 ? `${dollars(-cents)} credit` : dollars(cents));

export const amountText = (cents: number) => (cents / 100).toFixed(2);

const dateParts: Intl.DateTimeFormatOptions = { month: 'short', day: 'numeric', year: 'numeric' };
const plain = new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', ...dateParts });
const plainMonth = new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', month: 'long', year: 'numeric' });

function makeTimes(timeZone: string) {
  const clock = new Intl.DateTimeFormat('en-US', { timeZone, hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
  const day = new Intl.DateTimeFormat('en-US', { timeZone, weekday: 'short', month: 'short', day: 'numeric' });
  const full = new Intl.DateTimeFormat('en-US', { timeZone, ...dateParts });
  const calendar = new Intl.DateTimeFormat('en-CA', { timeZone });
  // The clinicians of a day share their times; what was worked out for one serves them all.
  const told = new Map<string, string>();
  const time = (iso: string) => {
    const known = told.get(iso);
    if (known !== undefined) return known;
    if (told.size > 5000) told.clear();
    const text = clock.format(new Date(iso));
    told.set(iso, text);
    return text;
  };
  return {
    time,
    day: (iso: string) => day.format(new Date(iso)),
    full: (iso: string) => full.format(new Date(iso)),
    month: (date: string) => plainMonth.format(new Date(`${date}T12:00:00Z`)),
    /** The clinic's calendar day of a moment: 2026-11-23. */
    date: (iso: string) => calendar.format(new Date(iso)),
    minutesOfDay: (iso: string) => {
      const [h, m] = time(iso).split(':');
      return Number(h) * 60 + Number(m);
    },
  };
}

const made = new Map<string, ReturnType<typeof makeTimes>>();

/** Clock and calendar of a zone. They are kept: making a format takes a hundred times as long as using it, and a
 *  board of forty columns uses some thousands. */
export function timesIn(zone: string) {
  const times = made.get(zone) ?? makeTimes(zone);
  made.set(zone, times);
  return times;
}

/** How long ago a moment is: 28 min. */
export function sinceWords(iso: string, now: Date) {
  const minutes = Math.round((now.getTime() - new Date(iso).getTime()) / 60000);
  if (minutes < 1) return 'now';
  if (minutes < 60) return `${minutes} min`;
  if (minutes < 24 * 60) return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
  const days = Math.floor(minutes / 1440);
  return days === 1 ? '1 day' : `${days} days`;
}

/** Clock and calendar of the clinic, whatever zone the machine stands in. */
export function useTimes() {
  const { clinic, now } = useSession();
  return { ...timesIn(clinic.zone), since: (iso: string) => sinceWords(iso, now) };
}

/** A telephone number as it is said: (207) 555-0142. */
export const telephone = (digits: string | null | undefined) =>
  digits?.length === 10 ? `(${digits.slice(0, 3)}) ${digits.slice(3, 6)}-${digits.slice(6)}` : (digits ?? '');

/** A plain date such as 1962-03-04, without any zone. */
export const plainDate = (date: string | null | undefined) => (date ? plain.format(new Date(`${date}T00:00:00Z`)) : '');

/** The name of somebody, or the call-sign of the visit while discreet mode is on. */
export function useIdentity() {
  const { discreet } = useSession();
  return (person: Schemas['PersonCard'], callSign?: string) => (discreet ? (callSign ?? '•••••') : person.name);
}

/** A telephone number for calling somebody; nothing while discreet mode is on, since it tells who it is. */
export function usePhone() {
  const { discreet } = useSession();
  return (digits: string | null | undefined) => (discreet ? '' : telephone(digits) || 'no telephone');
}

export const sexWord = (sex: string | null | undefined) =>
  ({ F: 'female', M: 'male', U: 'sex unknown' })[sex ?? ''] ?? '';
