/** What is asked about the house and those who work in it. */

import { api, look } from '../../api/client';

export const staff = () => look(['staff'], [{ topic: 'clinic' }, { topic: 'session' }], () => api.GET('/api/staff'));

export const ownSessions = () => look(['own-sessions'], [{ topic: 'session' }], () => api.GET('/api/me/sessions'));

/** What came in from files lately, the newest first. */
export const imports = () => look(['imports'], [{ topic: 'import' }], () => api.GET('/api/imports'));

/** Who reads somebody's results while they are away. */
export const standIn = (staff: string) =>
  look(['stand-in', staff], [{ topic: 'result' }], () =>
    api.GET('/api/staff/{id}/stand-in', { params: { path: { id: staff } } }),
  );

/** In how many days the result of each thing usually is here. */
export const usualDays = () => look(['usual-days'], [{ topic: 'clinic' }], () => api.GET('/api/settings/usual-days'));
