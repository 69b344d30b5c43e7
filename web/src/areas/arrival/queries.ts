/** What is asked about who is in the building. */

import { api, look, type Schemas } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

const everybody = (now: Schemas['InClinicView'] | undefined) =>
  now ? [...now.waiting, ...now.inRooms, ...now.elsewhere, ...now.leaving] : [];

export const inClinic = () =>
  look(
    ['in-clinic'],
    (now) => [
      { topic: 'visit' },
      { topic: 'person', id: everybody(now).map((p) => p.card.person.id) },
      { topic: 'clinic' },
    ],
    () => api.GET('/api/in-clinic'),
  );

/** The walk through check-in. */
export const checkIn = (id: string) =>
  look(['check-in', id], [{ topic: 'visit' }, { topic: 'person' }, { topic: 'till' }, { topic: 'clinic' }], () =>
    api.GET('/api/visits/{id}/check-in', of(id)),
  );

/** Others of the household who are here today. */
export const siblings = (id: string) =>
  look(['siblings', id], [{ topic: 'visit' }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/household-today', of(id)),
  );

export const checkInSettings = () =>
  look(['check-in-settings'], [{ topic: 'clinic' }], () => api.GET('/api/settings/check-in'));
