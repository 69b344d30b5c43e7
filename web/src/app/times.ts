/** Clock and calendar of a zone, and how long ago something is. */

const dateParts: Intl.DateTimeFormatOptions = { month: 'short', day: 'numeric', year: 'numeric' };
const plain = new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', ...dateParts });
const plainMonth = new Intl.DateTimeFormat('en-US', { timeZone: 'UTC', month: 'long', year: 'numeric' });

const plainDay = new Intl.DateTimeFormat('en-US', {
  timeZone: 'UTC',
  weekday: 'short',
  month: 'short',
  day: 'numeric',
});

/** A day of the calendar and no moment: it is the same day in every zone. */
const isDay = (iso: string) => iso.length === 10;

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
    day: (iso: string) => (isDay(iso) ? plainDay : day).format(new Date(iso)),
    full: (iso: string) => (isDay(iso) ? plain : full).format(new Date(iso)),
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

/** A plain date such as 1962-03-04, without any zone. */
export const plainDate = (date: string | null | undefined) => (date ? plain.format(new Date(`${date}T00:00:00Z`)) : '');
