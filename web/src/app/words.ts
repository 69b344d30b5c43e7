/** How times, amounts and identities read. */

import type { Schemas } from '../api/client';
import { useSession } from './session';

export const dollars = (cents: number) =>
  `${cents < 0 ? '−' : ''}$${(Math.abs(cents) / 100).toLocaleString('en-US', { minimumFractionDigits: 2 })}`;

export const amountText = (cents: number) => (cents / 100).toFixed(2);

/** Clock and calendar of the clinic, whatever zone the machine stands in. */
export function useTimes() {
  const { clinic, now } = useSession();
  const zone = clinic.zone;
  const at = (iso: string, options: Intl.DateTimeFormatOptions) =>
    new Intl.DateTimeFormat('en-US', { timeZone: zone, ...options }).format(new Date(iso));
  return {
    time: (iso: string) => at(iso, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }),
    day: (iso: string) => at(iso, { weekday: 'short', month: 'short', day: 'numeric' }),
    full: (iso: string) => at(iso, { month: 'short', day: 'numeric', year: 'numeric' }),
    month: (date: string) =>
      new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', month: 'long', year: 'numeric' }).format(
        new Date(`${date}T12:00:00Z`),
      ),
    /** The clinic's calendar day of a moment: 2026-11-23. */
    date: (iso: string) => new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(new Date(iso)),
    minutesOfDay: (iso: string) => {
      const [h, m] = at(iso, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }).split(':');
      return Number(h) * 60 + Number(m);
    },
    since: (iso: string) => {
      const minutes = Math.round((now.getTime() - new Date(iso).getTime()) / 60000);
      if (minutes < 1) return 'now';
      if (minutes < 60) return `${minutes} min`;
      if (minutes < 24 * 60) return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
      const days = Math.floor(minutes / 1440);
      return days === 1 ? '1 day' : `${days} days`;
    },
  };
}

/** A telephone number as it is said: (207) 555-0142. */
export const telephone = (digits: string | null | undefined) =>
  digits?.length === 10 ? `(${digits.slice(0, 3)}) ${digits.slice(3, 6)}-${digits.slice(6)}` : (digits ?? '');

/** A plain date such as 1962-03-04, without any zone. */
export const plainDate = (date: string | null | undefined) =>
  date
    ? new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', month: 'short', day: 'numeric', year: 'numeric' }).format(
        new Date(`${date}T00:00:00Z`),
      )
    : '';

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
