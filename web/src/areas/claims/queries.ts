/** What is asked about claims and their files. */

import { api, look } from '../../api/client';

export const claims = (state: string) =>
  look(['claims', state], [{ topic: 'claim' }, { topic: 'batch' }, { topic: 'remittance' }, { topic: 'visit' }], () =>
    api.GET('/api/claims', { params: { query: { state } } }),
  );

export const claim = (id: string) =>
  look(['claim', id], [{ topic: 'claim', id }, { topic: 'batch' }, { topic: 'remittance' }], () =>
    api.GET('/api/claims/{id}', { params: { path: { id } } }),
  );

export const batches = () => look(['batches'], [{ topic: 'batch' }, { topic: 'claim' }], () => api.GET('/api/batches'));

export const strayAnswers = () => look(['stray-answers'], [{ topic: 'batch' }], () => api.GET('/api/stray-answers'));
