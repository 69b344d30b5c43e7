/** What is asked about orders and results. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });
const moves = [{ topic: 'result' }, { topic: 'visit' }, { topic: 'person' }] as const;

/** Results that wait: one's own and nobody's, or everybody's. */
export const results = (all: boolean) =>
  look(['results', all], [...moves], () => api.GET('/api/results', { params: { query: { all } } }));

/** One result, with everything that is looked at beside it. */
export const result = (id: string) => look(['result', id], [...moves], () => api.GET('/api/results/{id}', of(id)));

/** Whom a result of an uncertain person may be about. */
export const candidates = (id: string) =>
  look(['result-candidates', id], [...moves], () => api.GET('/api/results/{id}/candidates', of(id)));

/** All results of a person, a test a line. */
export const resultGrid = (person: string) =>
  look(['result-grid', person], [{ topic: 'result' }, { topic: 'person', id: person }], () =>
    api.GET('/api/people/{id}/results', of(person)),
  );

/** Orders that were sent and of which no result is here: one's own, or everybody's. */
export const openOrders = (all: boolean) =>
  look(['open-orders', all], [...moves], () => api.GET('/api/orders/open', { params: { query: { all } } }));

export const labTests = (text: string) =>
  look(['lab-tests', text], [], () => api.GET('/api/lab-tests', { params: { query: { q: text } } }));
