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

export const candidates = (decision: string) =>
  look(['candidates', decision], [{ topic: 'remittance' }, { topic: 'claim' }], () =>
    api.GET('/api/decisions/{id}/candidates', of(decision)),
  );

/** What is looked for among the denials. */
export interface DenialsSought {
  ended: boolean;
  mine: boolean;
  payerId: string;
}

const denialTopics = [{ topic: 'denial' }, { topic: 'remittance' }, { topic: 'claim' }] as const;

export const denials = (s: DenialsSought) =>
  look(['denials', s], [...denialTopics], () =>
    api.GET('/api/denials', {
      params: { query: { ended: s.ended, mine: s.mine, ...(s.payerId ? { payerId: s.payerId } : {}) } },
    }),
  );

export const denial = (id: string) =>
  look(['denial', id], [{ topic: 'denial', id }, { topic: 'remittance' }, { topic: 'visit' }], () =>
    api.GET('/api/denials/{id}', of(id)),
  );

export const denialRates = (by: string, from: string, to: string) =>
  look(['denial-rates', by, from, to], [...denialTopics], () =>
    api.GET('/api/denials/rates', { params: { query: { by, from, to } } }),
  );

export const till = (site: string) =>
  look(['till', site], [{ topic: 'till' }], () => api.GET('/api/sites/{id}/till', { params: { path: { id: site } } }));
