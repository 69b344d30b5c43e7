/** What is asked about a visit and about the day. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const visit = (id: string) =>
  look(
    ['visit', id],
    (view) => [
      { topic: 'visit', id },
      // Older visits tell what is still owed; the record tells name, gaps and policies.
      { topic: 'visit', person: view?.person.id },
      { topic: 'person', id: view?.person.id },
      { topic: 'claim' },
      { topic: 'prices' },
      { topic: 'clinic' },
    ],
    () => api.GET('/api/visits/{id}', of(id)),
  );

/** The home of a role: it hangs on nearly everything. */
export const today = () =>
  look(
    ['today'],
    [
      { topic: 'visit' },
      { topic: 'person' },
      { topic: 'result' },
      { topic: 'claim' },
      { topic: 'batch' },
      { topic: 'remittance' },
      { topic: 'message' },
      { topic: 'waiting' },
      { topic: 'prices' },
      { topic: 'schedule' },
      { topic: 'till' },
      { topic: 'clinic' },
    ],
    () => api.GET('/api/today'),
  );
