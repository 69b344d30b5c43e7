/** What is asked about medicines and prescriptions. */

import { api, look, type Schemas } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const products = (text: string) =>
  look(['products', text], [], () => api.GET('/api/products', { params: { query: { q: text } } }));

/** What speaks against a prescription as it stands in the fields; of a draft that is written anew, without itself. */
export const prescriptionCheck = (
  place: { visit: string } | { person: string },
  body: Schemas['PrescriptionForm'],
  draft?: string,
) => {
  const topics = [{ topic: 'visit' }, { topic: 'person' }, { topic: 'result' }] as const;
  return look(['prescription-check', place, body, draft ?? ''], [...topics], () => {
    const query = draft ? { draft } : {};
    if ('visit' in place) {
      const params = { path: { id: place.visit }, query };
      return api.POST('/api/visits/{id}/prescriptions/check', { params, body });
    }
    const params = { path: { id: place.person }, query };
    return api.POST('/api/people/{id}/prescriptions/check', { params, body });
  });
};

/** What is and was prescribed to a person. */
export const prescriptionsOf = (person: string) =>
  look(['prescriptions', person], [{ topic: 'person', id: person }, { topic: 'visit' }, { topic: 'result' }], () =>
    api.GET('/api/people/{id}/prescriptions', of(person)),
  );

/** A prescription taken up again: its product and its fields. Written anew it is another question: fields that were read
 *  before would be taken for what stands there now. */
export const takenUp = (id: string, written: readonly unknown[] = []) =>
  look(['prescription-fields', id, ...written], [], () => api.GET('/api/prescriptions/{id}/fields', of(id)));

/** How the payer stands to a prescription. */
export const approvalOf = (id: string) =>
  look(['approval', id], [{ topic: 'person' }, { topic: 'visit' }], () =>
    api.GET('/api/prescriptions/{id}/approval', of(id)),
  );

/** Serious warnings that were overridden in so many days. */
export const overridden = (days: number) =>
  look(['overridden', days], [{ topic: 'person' }], () =>
    api.GET('/api/overridden-warnings', { params: { query: { days } } }),
  );

/** What pharmacies ask of the one who is signed in. */
export const renewals = () =>
  look(['renewals'], [{ topic: 'person' }, { topic: 'visit' }, { topic: 'result' }], () => api.GET('/api/renewals'));
