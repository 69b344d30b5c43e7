/** What is asked about what somebody owes and paid. A household pays together, so any of its visits counts. */

import { api, look, type Schemas } from '../../api/client';

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

/** What is looked for among the remittances. */
export interface RemittancesSought {
  q: string;
  payerCode: string;
  from: string;
  to: string;
  waiting: boolean;
}

export const remittances = (s: RemittancesSought, after: string | undefined) =>
  look(['remittances', s, after ?? ''], [{ topic: 'remittance' }, { topic: 'deposit' }], () =>
    api.GET('/api/remittances', {
      params: {
        query: {
          q: s.q,
          from: s.from,
          to: s.to,
          waiting: s.waiting,
          ...(s.payerCode ? { payerCode: s.payerCode } : {}),
          ...(after ? { after } : {}),
        },
      },
    }),
  );

/** What came to the bank, and what should have come. */
export const deposits = () =>
  look(['deposits'], [{ topic: 'deposit' }, { topic: 'remittance' }], () => api.GET('/api/deposits'));

export const letters = () => look(['letters'], [{ topic: 'batch' }], () => api.GET('/api/letters'));

/** Claims that went to a payer, by number or the patient's last name. */
export const claimsToDecide = (payerId: string, q: string) =>
  look(['letter-claims', payerId, q], [{ topic: 'claim' }], () =>
    api.GET('/api/letters/claims', { params: { query: { payerId, q } } }),
  );

/** How far a letter is explained as it is typed; nothing is posted by asking. */
export const letterStanding = (document: string, body: Schemas['LetterForm']) =>
  look(['letter-standing', document, body], [{ topic: 'claim' }], () =>
    api.POST('/api/letters/{id}/check', { ...of(document), body }),
  );

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

export const denials = (s: DenialsSought, after: string | undefined) =>
  look(['denials', s, after ?? ''], [...denialTopics], () =>
    api.GET('/api/denials', {
      params: {
        query: {
          ended: s.ended,
          mine: s.mine,
          ...(s.payerId ? { payerId: s.payerId } : {}),
          ...(after ? { after } : {}),
        },
      },
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

const open = [{ topic: 'visit' }, { topic: 'owed' }, { topic: 'remittance' }, { topic: 'statement' }] as const;

/** What is open by age; the rows by whom or what, and from which day on something is old. */
export const receivables = (by: string, from: string) =>
  look(['receivables', by, from], open, () => api.GET('/api/receivables', { params: { query: { by, from } } }));

/** Which figure of the report is opened; no age: what was paid ahead. */
export interface Figure {
  by: string;
  from: string;
  id: string | null;
  age: number | null;
}

export const behindFigure = (f: Figure) =>
  look(['receivables-behind', f], open, () =>
    api.GET('/api/receivables/visits', {
      params: {
        query: {
          by: f.by,
          from: f.from,
          ...(f.id === null ? {} : { id: f.id }),
          ...(f.age === null ? {} : { age: f.age }),
        },
      },
    }),
  );

export const callList = () => look(['calls'], open, () => api.GET('/api/calls'));

export const statementsDue = () => look(['statements-due'], open, () => api.GET('/api/statements/due'));

export const statementRuns = () =>
  look(['statement-runs'], [{ topic: 'statement' }], () => api.GET('/api/statements/runs'));

/** How somebody is asked for what they answer for. */
export const askedOf = (person: string) =>
  look(['asked-of', person], open, () => api.GET('/api/people/{id}/statements', of(person)));

export const reductionsOf = (visit: string) =>
  look(['reductions', visit], [{ topic: 'visit', id: visit }, { topic: 'owed' }], () =>
    api.GET('/api/visits/{id}/reductions', of(visit)),
  );

export const months = () => look(['months'], open, () => api.GET('/api/months'));

export const figures = (by: string, from: string, to: string) =>
  look(['figures', by, from, to], open, () => api.GET('/api/figures', { params: { query: { by, from, to } } }));

export const moneyRules = () => look(['money-rules'], [{ topic: 'owed' }], () => api.GET('/api/money-rules'));
