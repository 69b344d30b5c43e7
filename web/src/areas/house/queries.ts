/** What is asked about the house and those who work in it. */

import { api, look } from '../../api/client';

export const staff = () => look(['staff'], [{ topic: 'clinic' }, { topic: 'session' }], () => api.GET('/api/staff'));

export const ownSessions = () => look(['own-sessions'], [{ topic: 'session' }], () => api.GET('/api/me/sessions'));

/** What came in from files lately, the newest first. */
export const imports = () => look(['imports'], [{ topic: 'import' }], () => api.GET('/api/imports'));
