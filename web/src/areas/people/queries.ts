/** What is asked about people. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

/** Whoever was just registered may be found by what was typed before: any change of a record counts. */
export const peopleFound = (text: string) =>
  look(['people', text], [{ topic: 'person' }], () => api.GET('/api/people', { params: { query: { q: text } } }));

/** The record with its household. */
export const person = (id: string) =>
  look(
    ['person', id],
    (view) => [
      { topic: 'person', id: [id, ...(view?.household.map((m) => m.person.id) ?? []), view?.responsible?.id ?? id] },
      { topic: 'visit', person: id },
      // What registration requires is the clinic's.
      { topic: 'clinic' },
    ],
    () => api.GET('/api/people/{id}', of(id)),
  );

export const contact = (id: string) =>
  look(['contact', id], [{ topic: 'person', id }], () => api.GET('/api/people/{id}/contact', of(id)));

export const limits = (id: string) =>
  look(['limits', id], [{ topic: 'person', id }], () => api.GET('/api/people/{id}/limits', of(id)));

/** Visits to come and past, each with its line. */
export const visitsOf = (id: string) =>
  look(
    ['visits-of', id],
    [{ topic: 'visit', person: id }, { topic: 'person', id }, { topic: 'prices' }, { topic: 'clinic' }],
    () => api.GET('/api/people/{id}/visits', of(id)),
  );

/** Who looked at or changed the record. */
export const looksAt = (id: string) =>
  look(
    ['looks', id],
    [
      { topic: 'person', id },
      { topic: 'visit', person: id },
    ],
    () => api.GET('/api/people/{id}/looks', of(id)),
  );

/** What two records say differently. */
export const differences = (kept: string, gone: string) =>
  look(['differences', kept, gone], [{ topic: 'person', id: [kept, gone] }], () =>
    api.GET('/api/people/{id}/differences', { params: { path: { id: kept }, query: { other: gone } } }),
  );

export const requiredFields = () =>
  look(['required-fields'], [{ topic: 'clinic' }], () => api.GET('/api/settings/required-fields'));
