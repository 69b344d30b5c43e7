/** What is asked about policies. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const coverages = (id: string) =>
  look(['coverages', id], [{ topic: 'person', id }], () => api.GET('/api/people/{id}/coverages', of(id)));
