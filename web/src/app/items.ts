/** The things of a screen in their order, for the keys that go from one to the next: each is marked `data-item`. */

const reachable = 'button:not([disabled]), a[href], input, [tabindex="0"]';

const hands = () =>
  [...document.querySelectorAll<HTMLElement>('#work [data-item]')].map(
    (item) => (item.matches(reachable) ? item : item.querySelector<HTMLElement>(reachable)) ?? item,
  );

/** Puts the focus on the item before or after the one that has it; the first when none has. */
export function stepItem(by: 1 | -1): boolean {
  const all = hands();
  if (all.length === 0) return false;
  const at = all.findIndex((e) => e === document.activeElement || e.contains(document.activeElement));
  const next = at < 0 ? (by > 0 ? 0 : all.length - 1) : Math.min(Math.max(at + by, 0), all.length - 1);
  all[next]?.focus();
  all[next]?.scrollIntoView({ block: 'nearest' });
  return true;
}

/** What `e` opens on this screen: what is marked `data-edit`. */
export function editHere(): boolean {
  const found = document.querySelector<HTMLElement>('#work [data-edit]');
  if (!found) return false;
  found.scrollIntoView({ block: 'nearest' });
  const first = found.matches('button, a[href]') ? found : found.querySelector<HTMLElement>('input, textarea, button');
  first?.focus();
  if (first instanceof HTMLButtonElement || first instanceof HTMLAnchorElement) first.click();
  return true;
}
