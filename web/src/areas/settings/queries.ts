/** What the settings ask. */

import { api, look } from '../../api/client';

export const requiredFields = () =>
  look(['required-fields'], [{ topic: 'clinic' }], () => api.GET('/api/settings/required-fields'));

export const checkInSettings = () =>
  look(['check-in-settings'], [{ topic: 'clinic' }], () => api.GET('/api/settings/check-in'));

export const staff = () => look(['staff'], [{ topic: 'clinic' }, { topic: 'session' }], () => api.GET('/api/staff'));

/** The weeks of everybody who works here. */
export const supply = () =>
  look(['supply'], [{ topic: 'schedule' }, { topic: 'clinic' }], () => api.GET('/api/supply'));
