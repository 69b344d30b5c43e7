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

/** How the quick line would be understood; nothing is kept. */
export const quickLine = (id: string, text: string) =>
  look(['quick-line', id, text], [{ topic: 'visit', id }], () =>
    api.POST('/api/visits/{id}/quick-line', { ...of(id), body: { text, keep: false } }),
  );
