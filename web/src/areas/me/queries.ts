/** What one asks about oneself. */

import { api, look } from '../../api/client';

export const ownSessions = () => look(['own-sessions'], [{ topic: 'session' }], () => api.GET('/api/me/sessions'));
