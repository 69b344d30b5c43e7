/** Whether every typed word is somewhere in a text, in any order, whatever its accents and capitals. */

const plain = (text: string) => text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();

export const wordsOf = (typed: string) =>
  plain(typed)
    .split(/[\s,]+/)
    .filter((word) => word !== '');

export const holdsAll = (text: string, words: readonly string[]) => {
  if (words.length === 0) return true;
  const within = plain(text);
  return words.every((word) => within.includes(word));
};
