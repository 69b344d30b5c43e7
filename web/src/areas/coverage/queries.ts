/** What is asked about policies. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const coverages = (id: string) =>
  look(['coverages', id], [{ topic: 'person', id }], () => api.GET('/api/people/{id}/coverages', of(id)));

export const referralsOf = (id: string) =>
  look(['referrals', id], [{ topic: 'person', id }, { topic: 'visit' }], () =>
    api.GET('/api/people/{id}/referrals', of(id)),
  );

/** The patient's, as they hold for a visit. */
export const referralsFor = (id: string) =>
  look(['referrals-for', id], [{ topic: 'visit' }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/referrals', of(id)),
  );
