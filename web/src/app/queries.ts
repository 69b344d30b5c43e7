/** What the frame asks: who may sign in, the clinic, dates as typed, how many wait. */

import { api, look } from '../api/client';

export const signIns = () => look(['sign-ins'], [], () => api.GET('/api/sign-ins'));

export const clinic = () => look(['clinic'], [{ topic: 'clinic' }], () => api.GET('/api/clinic'));

/** A date as somebody typed it. */
export const typedDate = (text: string) =>
  look(['date', text], [], () => api.GET('/api/dates', { params: { query: { text, sense: '' } } }));

/** How many wait, on every screen. */
export const waitingCount = () => look(['waiting-count'], [{ topic: 'visit' }], () => api.GET('/api/in-clinic/count'));

/** Diagnosis codes that are found by what was typed. */
export const codes = (text: string) =>
  look(['codes', text], [], () => api.GET('/api/codes', { params: { query: { q: text } } }));

export const code = (code: string) =>
  look(['code', code], [], () => api.GET('/api/codes/{code}', { params: { path: { code } } }));
