/** What is asked about orders and results. */

import { api, look } from '../../api/client';

export const results = () =>
  look(['results'], [{ topic: 'result' }, { topic: 'visit' }, { topic: 'person' }], () => api.GET('/api/results'));

export const labTests = (text: string) =>
  look(['lab-tests', text], [], () => api.GET('/api/lab-tests', { params: { query: { q: text } } }));
