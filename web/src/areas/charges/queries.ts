/** What is asked about charges and prices. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const charges = (id: string) =>
  look(['charges', id], [{ topic: 'visit', id }, { topic: 'prices' }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/charges', of(id)),
  );

export const services = () =>
  look(['services'], [{ topic: 'prices' }, { topic: 'clinic' }], () => api.GET('/api/services'));

export const catalogue = () =>
  look(['catalogue'], [{ topic: 'prices' }, { topic: 'clinic' }], () => api.GET('/api/catalogue'));

export const forClaim = (id: string) =>
  look(['for-claim', id], [{ topic: 'visit', id }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/for-claim', of(id)),
  );

export const estimates = (person: string) =>
  look(['estimates', person], [{ topic: 'person', id: person }], () =>
    api.GET('/api/people/{id}/estimates', of(person)),
  );

/** With what the estimate of a visit begins. */
export const estimateOf = (visit: string) =>
  look(['estimate-of', visit], [{ topic: 'visit', id: visit }, { topic: 'prices' }], () =>
    api.GET('/api/visits/{id}/estimate', of(visit)),
  );

/** Of today where no day is said. */
export const sheetOfDay = (day: string) =>
  look(['sheet-of-day', day], [{ topic: 'visit' }, { topic: 'prices' }, { topic: 'person' }], () =>
    api.GET('/api/charges/of-day', { params: { query: day ? { day } : {} } }),
  );
