/** What is asked about results. */

import { api, look } from '../../api/client';

export const results = () =>
  look(['results'], [{ topic: 'result' }, { topic: 'visit' }, { topic: 'person' }], () => api.GET('/api/results'));
