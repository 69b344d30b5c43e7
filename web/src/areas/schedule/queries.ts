/** What is asked about the schedule, and about who waits or is told. */

import { api, look, type Schemas } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });
import type { paths } from '../../api/schema';

type Query<P extends keyof paths> = paths[P] extends { get: { parameters: { query?: infer Q } } }
  ? NonNullable<Q>
  : never;

/** A move tells both of its days; supply of any day is told without one. */
export const day = (day: string) =>
  look(
    ['schedule', day],
    [{ topic: 'visit', day }, { topic: 'schedule' }, { topic: 'person' }, { topic: 'clinic' }, { topic: 'waiting' }],
    () => api.GET('/api/schedule', { params: { query: { day } } }),
  );

const several = [{ topic: 'visit' }, { topic: 'schedule' }, { topic: 'clinic' }] as const;

export const week = (day: string, clinicianId: string) =>
  look(['schedule', 'week', day, clinicianId], [...several, { topic: 'person' }], () =>
    api.GET('/api/schedule/week', { params: { query: { day, clinicianId } } }),
  );

export const month = (day: string) =>
  look(['schedule', 'month', day.slice(0, 7)], several, () =>
    api.GET('/api/schedule/month', { params: { query: { day } } }),
  );

/** What became of the slots of a day. */
export const changesOf = (day: string) =>
  look(['schedule', 'changes', day], [{ topic: 'schedule' }, { topic: 'visit', day }], () =>
    api.GET('/api/schedule/changes', { params: { query: { day } } }),
  );

export const slotHistory = (id: string) =>
  look(['slot-history', id], several, () => api.GET('/api/slots/{id}/history', { params: { path: { id } } }));

/** Who waits for a time like this slot. */
export const waitingFor = (slot: string) =>
  look(['waiting-for', slot], [{ topic: 'waiting' }, { topic: 'person' }, ...several], () =>
    api.GET('/api/slots/{id}/waiting', { params: { path: { id: slot } } }),
  );

export const waitingList = () =>
  look(['waiting-list'], [{ topic: 'waiting' }, { topic: 'person' }, { topic: 'visit' }], () =>
    api.GET('/api/waiting'),
  );

export const openTimes = (asked: Query<'/api/open-times'>) =>
  look(['open-times', asked], [...several, { topic: 'person' }], () =>
    api.GET('/api/open-times', { params: { query: asked } }),
  );

export const shifts = (asked: Query<'/api/shifts'>) =>
  look(['shifts', asked], several, () => api.GET('/api/shifts', { params: { query: asked } }));

/** Who could take these shifts on. */
export const freeThen = (shiftIds: string[]) =>
  look(['shifts', 'free', shiftIds], several, () =>
    api.GET('/api/shifts/free', { params: { query: { shiftIds: shiftIds.join(',') } } }),
  );

/** A new time for everybody who lost theirs, with what somebody fixed by hand. */
export const rebooking = (pins: Schemas['Pinned'][]) =>
  look(['rebooking', pins], [...several, { topic: 'person' }], () => api.POST('/api/rebooking', { body: pins }));

export const seriesPlan = (asked: Schemas['SeriesAsked']) =>
  look(['series-plan', asked], several, () => api.POST('/api/series/plan', { body: asked }));

export const messages = () =>
  look(['messages'], [{ topic: 'message' }, { topic: 'person' }], () => api.GET('/api/messages'));

export const groups = () => look(['groups'], [{ topic: 'groups' }], () => api.GET('/api/groups'));

/** Every time that a visit had. */
export const movesOf = (id: string) =>
  look(['moves-of', id], [{ topic: 'visit', id }], () => api.GET('/api/visits/{id}/moves', of(id)));

/** Of the series that the visit belongs to. */
export const seriesOf = (id: string) =>
  look(['series-of', id], [{ topic: 'visit' }], () => api.GET('/api/visits/{id}/series', of(id)));

/** The weeks of everybody who works here. */
export const supply = () =>
  look(['supply'], [{ topic: 'schedule' }, { topic: 'clinic' }], () => api.GET('/api/supply'));
