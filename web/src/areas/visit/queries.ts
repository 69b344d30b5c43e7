/** What is asked about one visit: its line, chart, charges, money, check-in, and the tables to choose from. */

import { api, look, type Schemas } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const visit = (id: string) =>
  look(
    ['visit', id],
    (view) => [
      { topic: 'visit', id },
      // Older visits tell what is still owed; the record tells name, gaps and policies.
      { topic: 'visit', person: view?.person.id },
      { topic: 'person', id: view?.person.id },
      { topic: 'claim' },
      { topic: 'prices' },
      { topic: 'clinic' },
    ],
    () => api.GET('/api/visits/{id}', of(id)),
  );

/** Of the series that the visit belongs to. */
export const seriesOf = (id: string) =>
  look(['series-of', id], [{ topic: 'visit' }], () => api.GET('/api/visits/{id}/series', of(id)));

export const chart = (id: string) =>
  look(['chart', id], [{ topic: 'visit', id }, { topic: 'note', id }, { topic: 'person' }, { topic: 'result' }], () =>
    api.GET('/api/visits/{id}/chart', of(id)),
  );

export const charges = (id: string) =>
  look(['charges', id], [{ topic: 'visit', id }, { topic: 'prices' }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/charges', of(id)),
  );

export const moneyOf = (id: string) =>
  look(['money', id], [{ topic: 'visit', id }, { topic: 'claim' }, { topic: 'remittance' }], () =>
    api.GET('/api/visits/{id}/money', of(id)),
  );

/** The walk through check-in. */
export const checkIn = (id: string) =>
  look(['check-in', id], [{ topic: 'visit' }, { topic: 'person' }, { topic: 'till' }, { topic: 'clinic' }], () =>
    api.GET('/api/visits/{id}/check-in', of(id)),
  );

/** Others of the household who are here today. */
export const siblings = (id: string) =>
  look(['siblings', id], [{ topic: 'visit' }, { topic: 'person' }], () =>
    api.GET('/api/visits/{id}/household-today', of(id)),
  );

export const services = () =>
  look(['services'], [{ topic: 'prices' }, { topic: 'clinic' }], () => api.GET('/api/services'));

export const labTests = (text: string) =>
  look(['lab-tests', text], [], () => api.GET('/api/lab-tests', { params: { query: { q: text } } }));

export const products = (text: string) =>
  look(['products', text], [], () => api.GET('/api/products', { params: { query: { q: text } } }));

/** How the quick line would be understood; nothing is kept. */
export const quickLine = (id: string, text: string) =>
  look(['quick-line', id, text], [{ topic: 'visit', id }], () =>
    api.POST('/api/visits/{id}/quick-line', { ...of(id), body: { text, keep: false } }),
  );

/** What speaks against a prescription as it stands. */
export const prescriptionCheck = (id: string, body: Schemas['PrescriptionForm']) =>
  look(['prescription-check', id, body], [{ topic: 'visit', id }, { topic: 'person' }, { topic: 'result' }], () =>
    api.POST('/api/visits/{id}/prescriptions/check', { ...of(id), body }),
  );
