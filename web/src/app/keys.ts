/** Keys of a screen; they rest while somebody types. */

import { type RefObject, useEffect, useRef } from 'react';

export type Keys = Record<string, () => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName));

/** Whose keys act, the outermost first: what a screen does with a key stands, whichever of them was mounted first. */
const heard: { frame: RefObject<Keys>[]; screen: RefObject<Keys>[] } = { frame: [], screen: [] };

/** The field in which the last letter was typed. When it is taken away from under the fingers, since its note was struck or its row is
 *  gone, what is typed on goes nowhere for a while: a full stop of a sentence would move a visit. */
let field: Element | null = null;
let typedAt = 0;
const STILL_TYPING = 3_000;

function goesNowhere(event: KeyboardEvent): boolean {
  if (!field || field.isConnected || Date.now() - typedAt > STILL_TYPING || event.key.length > 1) {
    field = null;
    return false;
  }
  typedAt = Date.now();
  return true;
}

window.addEventListener('pointerdown', () => {
  field = null;
});

const MAIN_ACTION = 'ctrl+enter';
const nameOf = (event: KeyboardEvent) => `${event.ctrlKey || event.metaKey ? 'ctrl+' : ''}${event.key.toLowerCase()}`;

/** Before the button that has the focus takes it for its own Enter. */
function listenFirst(event: KeyboardEvent) {
  if (nameOf(event) !== MAIN_ACTION) return;
  act(event, MAIN_ACTION);
  if (event.defaultPrevented) event.stopPropagation();
}

function listen(event: KeyboardEvent) {
  const name = nameOf(event);
  if (name === MAIN_ACTION) return;
  // A search passes its keys on to the list below it: what counts is where the typing goes.
  // Ctrl+A belongs to the text while somebody types.
  const always = name.startsWith('ctrl+') && name !== 'ctrl+a';
  if ((typing(event.target) || typing(document.activeElement)) && !always) {
    // Enter, Tab and Esc end a word: what comes after them is meant.
    field = event.key.length === 1 && event.target instanceof Element ? event.target : null;
    typedAt = Date.now();
    return;
  }
  if (!always && goesNowhere(event)) return;
  if (document.querySelector('[role=dialog]') && !name.startsWith('ctrl+')) return;
  act(event, name);
}

function act(event: KeyboardEvent, name: string) {
  for (const keys of [...heard.frame, ...heard.screen]) {
    const does = keys.current[name];
    if (!does) continue;
    event.preventDefault();
    does();
  }
}

export function useKeys(keys: Keys, of: 'frame' | 'screen' = 'screen') {
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  });
  useEffect(() => {
    if (heard.frame.length + heard.screen.length === 0) {
      window.addEventListener('keydown', listenFirst, true);
      window.addEventListener('keydown', listen);
    }
    heard[of].push(latest);
    return () => {
      heard[of] = heard[of].filter((k) => k !== latest);
      if (heard.frame.length + heard.screen.length === 0) {
        window.removeEventListener('keydown', listenFirst, true);
        window.removeEventListener('keydown', listen);
      }
    };
  }, [of]);
}
