/** What is asked about the chart. */

import { api, look } from '../../api/client';

const of = (id: string) => ({ params: { path: { id } } });

export const chart = (id: string) =>
  look(['chart', id], [{ topic: 'visit', id }, { topic: 'note', id }, { topic: 'person' }, { topic: 'result' }], () =>
    api.GET('/api/visits/{id}/chart', of(id)),
  );

/** The chart of a person in ten seconds. */
export const glance = (person: string) =>
  look(
    ['glance', person],
    [{ topic: 'person', id: person }, { topic: 'visit', person }, { topic: 'note' }, { topic: 'result' }],
    () => api.GET('/api/people/{id}/chart', of(person)),
  );

/** How a child grows, beside the reference. */
export const growth = (person: string) =>
  look(
    ['growth', person],
    [
      { topic: 'person', id: person },
      { topic: 'visit', person },
    ],
    () => api.GET('/api/people/{id}/growth', of(person)),
  );

/** What a part of the note said in the last note that had it. */
export const lastTime = (id: string, at: { part: string; run: string | null }) =>
  look(['last-time', id, at.run, at.part], [{ topic: 'note', id }], () =>
    api.GET('/api/visits/{id}/note/{part}/last-time', {
      params: { path: { id, part: at.part }, query: at.run ? { run: at.run } : {} },
    }),
  );

/** Text templates that one may use, those for the reason of the visit first. */
export const texts = (words: string, visit?: string) =>
  look(['texts', words, visit ?? ''], [{ topic: 'texts' }], () =>
    api.GET('/api/texts', { params: { query: { words, ...(visit && { visit }) } } }),
  );

/** The questionnaires that can be asked. */
export const questionnaires = () =>
  look(['questionnaires'], [{ topic: 'texts' }], () => api.GET('/api/questionnaires'));

/** Templates and questionnaires that are used no more. */
export const textsEnded = () => look(['texts-ended'], [{ topic: 'texts' }], () => api.GET('/api/texts/ended'));
export const questionnairesEnded = () =>
  look(['questionnaires-ended'], [{ topic: 'texts' }], () => api.GET('/api/questionnaires/ended'));

/** How a questionnaire would be asked, as it is being written. */
export const questionnaireRead = (title: string, body: string) =>
  look(['questionnaire-read', title, body], [], () => api.POST('/api/questionnaires/read', { body: { title, body } }));

/** What no longer holds of a person's allergies and histories. */
export const ended = (person: string) =>
  look(['ended', person], [{ topic: 'person', id: person }], () => api.GET('/api/people/{id}/ended', of(person)));

/** All that an entry of the histories said, the newest first. */
export const historyVersions = (person: string, entry: string) =>
  look(['history-versions', person, entry], [{ topic: 'person', id: person }], () =>
    api.GET('/api/people/{id}/histories/{entry}', { params: { path: { id: person, entry } } }),
  );

/** What an entry of a list said before. */
export const former = (person: string, entry: string) =>
  look(['former', person, entry], [{ topic: 'person', id: person }], () =>
    api.GET('/api/people/{id}/lists/{entry}', { params: { path: { id: person, entry } } }),
  );

/** The visits at which a person was seen, before a time. */
export const past = (person: string, before?: string) =>
  look(['past', person, before ?? ''], [{ topic: 'visit', person }, { topic: 'note' }], () =>
    api.GET('/api/people/{id}/past', { params: { path: { id: person }, query: before ? { before } : {} } }),
  );

/** Words found in the notes of a person. */
export const inNotes = (person: string, words: string) =>
  look(['in-notes', person, words], [{ topic: 'visit', person }, { topic: 'note' }], () =>
    api.GET('/api/people/{id}/notes', { params: { path: { id: person }, query: { words } } }),
  );

/** How the quick line would be understood; nothing is kept. */
export const quickLine = (id: string, text: string) =>
  look(['quick-line', id, text], [{ topic: 'visit', id }], () =>
    api.POST('/api/visits/{id}/quick-line', { ...of(id), body: { text, keep: false } }),
  );
