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

/** A column for each of the clinicians who works on the day, at the site that is asked for. */
export const dayColumns = (
  day: Day,
  clinicians: Schemas['Staff'][],
  sites: Schemas['Site'][],
  site: string,
): Column[] =>
  clinicians
    .map((c) => ({ c, shifts: day.shifts.filter((s) => s.clinicianId === c.id) }))
    .filter(({ shifts }) => shifts.some((s) => site === 'any' || s.siteId === site))
    .map(({ c, shifts }) => {
      const visits = counted(onBoard(day, c.id).length);
      const at = sites.find((s) => s.id === shifts[0]?.siteId)?.name ?? '';
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
