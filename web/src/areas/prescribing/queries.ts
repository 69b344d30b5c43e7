/** What is asked about medicines and prescriptions. */

import { api, look, type Schemas } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const products = (text: string) =>
  look(['products', text], [], () => api.GET('/api/products', { params: { query: { q: text } } }));

/** What speaks against a prescription as it stands. */
export const prescriptionCheck = (id: string, body: Schemas['PrescriptionForm']) =>
  look(['prescription-check', id, body], [{ topic: 'visit', id }, { topic: 'person' }, { topic: 'result' }], () =>
    api.POST('/api/visits/{id}/prescriptions/check', { ...of(id), body }),
  );

/** What pharmacies ask of the one who is signed in. */
export const renewals = () =>
  look(['renewals'], [{ topic: 'person' }, { topic: 'visit' }, { topic: 'result' }], () => api.GET('/api/renewals'));
