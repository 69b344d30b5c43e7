/** Keys of a screen; they rest while somebody types. */

import { useEffect, useRef } from 'react';

export type Keys = Record<string, () => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName));

export function useKeys(keys: Keys) {
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      const name = `${event.ctrlKey || event.metaKey ? 'ctrl+' : ''}${event.key.toLowerCase()}`;
      // A search passes its keys on to the list below it: what counts is where the typing goes.
      // Ctrl+A belongs to the text while somebody types.
      const always = name.startsWith('ctrl+') && name !== 'ctrl+a';
      if ((typing(event.target) || typing(document.activeElement)) && !always) return;
      if (document.querySelector('[role=dialog]') && !name.startsWith('ctrl+')) return;
      const act = latest.current[name];
      if (act) {
        event.preventDefault();
        act();
      }
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);
}
