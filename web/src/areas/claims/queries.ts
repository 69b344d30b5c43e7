/** What is asked about claims and their files. */

import { api, look } from '../../api/client';

/** What is looked for among the claims. */
export interface Sought {
  state: string;
  payerId: string;
  clinicianId: string;
  siteId: string;
  by: string;
  from: string;
  to: string;
  wrong: boolean;
}

/** Of what is asked only what is said. */
const asked = (s: Sought) => ({
  state: s.state,
  by: s.by,
  from: s.from,
  to: s.to,
  wrong: s.wrong,
  ...(s.payerId ? { payerId: s.payerId } : {}),
  ...(s.clinicianId ? { clinicianId: s.clinicianId } : {}),
  ...(s.siteId ? { siteId: s.siteId } : {}),
});

const claimTopics = [
  { topic: 'claim' },
  { topic: 'batch' },
  { topic: 'remittance' },
  { topic: 'visit' },
] as const satisfies { topic: string }[];

export const claims = (s: Sought, limit: number) =>
  look(['claims', s, limit], [...claimTopics], () =>
    api.GET('/api/claims', { params: { query: { ...asked(s), limit } } }),
  );

export const claimSums = (s: Sought) =>
  look(['claim-sums', s], [...claimTopics], () => api.GET('/api/claims/sums', { params: { query: asked(s) } }));

export const savedViews = () =>
  look(['saved-views'], [{ topic: 'views' }], () =>
    api.GET('/api/saved-views', { params: { query: { place: 'claims' } } }),
  );

export const claim = (id: string) =>
  look(['claim', id], [{ topic: 'claim', id }, { topic: 'batch' }, { topic: 'remittance' }], () =>
    api.GET('/api/claims/{id}', { params: { path: { id } } }),
  );

export const claimAsSent = (id: string) =>
  look(['claim-as-sent', id], [{ topic: 'claim', id }, { topic: 'visit' }, { topic: 'person' }], () =>
    api.GET('/api/claims/{id}/as-sent', { params: { path: { id } } }),
  );

export const batches = () => look(['batches'], [{ topic: 'batch' }, { topic: 'claim' }], () => api.GET('/api/batches'));

export const strayAnswers = () => look(['stray-answers'], [{ topic: 'batch' }], () => api.GET('/api/stray-answers'));
