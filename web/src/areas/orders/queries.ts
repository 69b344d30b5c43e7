/** What is asked about orders and results. */

import { api, look, type Schemas } from '../../api/client';

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
export interface Narrowed {
  all: boolean;
  kind?: Schemas['OrderKind'];
  clinician?: string;
  toWhom?: string;
}
export const openOrders = (query: Narrowed) =>
  look(['open-orders', query], [...moves], () => api.GET('/api/orders/open', { params: { query } }));

/** Specimens to take and things to do here. */
export const forHands = () => look(['orders-for-hands'], [...moves], () => api.GET('/api/orders/hands'));

/** What is ordered together: the clinic's sets and one's own. */
export const orderSets = () => look(['order-sets'], [{ topic: 'clinic' }], () => api.GET('/api/order-sets'));

/** What can be ordered, or, without a word, what one orders most; for somebody, with what is on record of it. */
export const orderables = (text: string, person?: string) =>
  look(
    ['orderables', text, person],
    person ? [{ topic: 'result' }, { topic: 'person', id: person }, { topic: 'visit' }] : [],
    () => api.GET('/api/orderables', { params: { query: { q: text, ...(person && { person }) } } }),
  );

/** Orders of a person without a visit, and the problems that they may lie under. */
export const ordersOf = (person: string) =>
  look(['orders-of', person], [{ topic: 'person', id: person }, { topic: 'result' }], () =>
    api.GET('/api/people/{id}/orders', of(person)),
  );

/** Orders under one's own name that are not signed. */
export const ordersToSign = () => look(['orders-to-sign'], [...moves], () => api.GET('/api/orders/to-sign'));
