// Waits in the page: until something can be seen ("see"), a text can be read ("read"), or nothing answers any more ("gone").
const [until, what, patience, done] = arguments;
const all = () => {
  const found = document.evaluate(what, document, null, XPathResult.ORDERED_NODE_SNAPSHOT_TYPE, null);
  return Array.from({ length: found.snapshotLength }, (_, i) => found.snapshotItem(i));
};
const look = {
  see: () => all().find((e) => e.checkVisibility({ opacityProperty: true, visibilityProperty: true })),
  read: () => document.body.innerText.includes(what) && 'read',
  gone: () => all().length === 0 && 'gone',
}[until];
let pending = null;
const answer = (found) => {
  watch.disconnect();
  clearInterval(pulse);
  clearTimeout(end);
  clearTimeout(pending);
  done(found);
};
const ask = () => {
  pending = null;
  const found = look();
  if (found) answer(found);
};
// Not at every change: a board that is drawn changes a thousand times.
const watch = new MutationObserver(() => (pending ??= setTimeout(ask, 10)));
// A style may change without any element doing so.
const pulse = setInterval(ask, 250);
const end = setTimeout(() => answer(null), patience);
watch.observe(document, { childList: true, subtree: true, attributes: true, characterData: true });
ask();
