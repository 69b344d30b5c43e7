/** Whether somebody is there: only a key, the mouse or a touch renews a session; a screen left alone locks. */

import { useEffect } from 'react';
import { api } from '../api/client';
import { lockScreen } from './lock';

const TOLD_EVERY = 60_000;
const LOOKED_EVERY = 5_000;
/** Shared by the windows of one browser: who works in one is there in all. */
const KEY = 'harbor-here';

/** Asks what has become of the session, and locks or leaves the screen accordingly. */
export async function askSession() {
  const { data, response } = await api.GET('/api/session');
  if (data?.locked) lockScreen();
  if (response.status === 401) window.dispatchEvent(new Event('harbor-signed-out'));
  return data;
}

export async function lockNow() {
  await api.POST('/api/session/lock').catch(() => undefined);
  lockScreen();
}

export function usePresence(lockMinutes: number, locked: boolean) {
  useEffect(() => {
    if (locked) return;
    let told = 0;
    localStorage.setItem(KEY, String(Date.now()));
    const here = () => {
      const now = Date.now();
      localStorage.setItem(KEY, String(now));
      if (now - told < TOLD_EVERY) return;
      told = now;
      void api
        .POST('/api/session/here')
        .then(async ({ response }) => {
          if (response.status === 401) await askSession();
        })
        .catch(() => undefined);
    };
    const events = ['keydown', 'pointerdown', 'pointermove', 'wheel', 'touchstart'];
    events.forEach((event) => window.addEventListener(event, here, { passive: true, capture: true }));
    const timer = setInterval(() => {
      const last = Number(localStorage.getItem(KEY) ?? '0');
      if (Date.now() - last > lockMinutes * 60_000) void lockNow();
    }, LOOKED_EVERY);
    return () => {
      clearInterval(timer);
      events.forEach((event) => window.removeEventListener(event, here, { capture: true }));
    };
  }, [lockMinutes, locked]);
}
