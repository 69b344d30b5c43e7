/** What is asked about what somebody owes and paid. A household pays together, so any of its visits counts. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });
const money = [{ topic: 'visit' }, { topic: 'person' }, { topic: 'till' }, { topic: 'remittance' }] as const;

export const payments = (person: string) =>
  look(['payments', person], money, () => api.GET('/api/people/{id}/payments', of(person)));

export const account = (person: string) =>
  look(['account', person], money, () => api.GET('/api/people/{id}/account', of(person)));

/** What the household could pay now, shared out over an amount when one is typed. */
export const collect = (person: string, amount: string) =>
  look(['collect', person, amount], money, () =>
    api.GET('/api/people/{id}/collect', { params: { path: { id: person }, query: amount ? { amount } : {} } }),
  );

export const moneyOf = (id: string) =>
  look(['money', id], [{ topic: 'visit', id }, { topic: 'claim' }, { topic: 'remittance' }], () =>
    api.GET('/api/visits/{id}/money', of(id)),
  );

export const remittances = () => look(['remittances'], [{ topic: 'remittance' }], () => api.GET('/api/remittances'));

export const till = (site: string) =>
  look(['till', site], [{ topic: 'till' }], () => api.GET('/api/sites/{id}/till', { params: { path: { id: site } } }));
