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

/** What can be ordered. */
export const orderables = (text: string) =>
  look(['orderables', text], [], () => api.GET('/api/orderables', { params: { query: { q: text } } }));

/** Orders of a person without a visit, and the problems that they may lie under. */
export const ordersOf = (person: string) =>
  look(['orders-of', person], [{ topic: 'person', id: person }, { topic: 'result' }], () =>
    api.GET('/api/people/{id}/orders', of(person)),
  );

/** Orders under one's own name that are not signed. */
export const ordersToSign = () => look(['orders-to-sign'], [...moves], () => api.GET('/api/orders/to-sign'));
