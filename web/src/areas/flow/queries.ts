/** What is asked about who is in the building. */

import { api, look, type Schemas } from '../../api/client';

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
