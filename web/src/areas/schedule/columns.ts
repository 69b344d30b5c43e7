/** The columns of the board: clinicians of one day, or the days of one clinician. */

import type { Schemas } from '../../api/client';

type Day = Schemas['DayView'];

/** What a column shows: a clinician of one day, or one day of a clinician. */
export type Column = {
  key: string;
  title: string;
  note: string;
  /** The same in a tight column. */
  short: string;
  tightNote: string;
  day: Schemas['DayView'];
  clinicianId: string;
};

/** What stands on the board for a clinician: not what is cancelled or needs a new time, and nothing without a time. */
export const onBoard = (day: Day, clinicianId: string) =>
  day.visits.filter(
    (v) =>
      v.visit.clinicianId === clinicianId &&
      v.visit.stage !== 'cancelled' &&
      v.visit.kind !== 'administrative' &&
      !v.visit.rebook &&
      !day.lists.some((l) => l.visitIds.includes(v.visit.id)),
  );

type Lies = { id: string; startsAt: string; endsAt: string };

/** Where each of some visits lies beside those that take the same time: its place, and among how many; nothing for one
 *  that has its time to itself. */
export function sideBySide(visits: Lies[]) {
  const places = new Map<string, { at: number; of: number }>();
  const inOrder = [...visits].sort((a, b) => a.startsAt.localeCompare(b.startsAt));
  let together: Lies[] = [];
  let until = '';
  const place = () => {
    const ends: string[] = [];
    const at = together.map((v) => {
      const free = ends.findIndex((end) => end <= v.startsAt);
      const lane = free < 0 ? ends.length : free;
      ends[lane] = v.endsAt;
      return lane;
    });
    if (ends.length > 1) together.forEach((v, n) => places.set(v.id, { at: at[n] ?? 0, of: ends.length }));
  };
  for (const v of inOrder) {
    if (v.startsAt >= until) {
      place();
      together = [];
    }
    together.push(v);
    if (v.endsAt > until) until = v.endsAt;
  }
  place();
  return places;
}

const counted = (n: number) => `${n} ${n === 1 ? 'visit' : 'visits'}`;

export const weekColumn = (day: Day, clinicianId: string, title: string): Column => ({
  key: day.day,
  title,
  note: counted(onBoard(day, clinicianId).length),
  short: title,
  tightNote: '',
  day,
  clinicianId,
});

/** Saturday and Sunday stand in a week only when there is something on them. */
export const isInWeek = (day: Day, clinicianId: string) =>
  ![0, 6].includes(new Date(`${day.day}T12:00:00Z`).getUTCDay()) ||
  day.shifts.some((s) => s.clinicianId === clinicianId) ||
  onBoard(day, clinicianId).length > 0;

/** A column for each of the clinicians who works on the day, or did, at the site that is asked for. */
export const dayColumns = (
  day: Day,
  clinicians: Schemas['Staff'][],
  sites: Schemas['Site'][],
  site: string,
): Column[] =>
  clinicians
    .map((c) => {
      const shifts = day.shifts.filter((s) => s.clinicianId === c.id);
      const live = onBoard(day, c.id);
      return { c, live, siteIds: [...shifts.map((s) => s.siteId), ...live.map((v) => v.visit.siteId)] };
    })
    .filter(({ siteIds }) => siteIds.some((id) => site === 'any' || id === site))
    .map(({ c, live, siteIds }) => {
      const visits = counted(live.length);
      const at = sites.find((s) => s.id === siteIds[0])?.name ?? '';
      return {
        key: c.id,
        title: c.name,
        note: `${at} · ${visits}`,
        short: c.lastName,
        tightNote: visits,
        day,
        clinicianId: c.id,
      };
    });
