/** A list that is read page by page: where one is, the way on and the way back. */

import { useState } from 'react';
import { Button } from './controls';
import { Row, Small } from './layout';

export interface PageBy {
  /** The last row of the page before; nothing on the first page. */
  after: string | undefined;
  number: number;
  on: (last: string) => void;
  back: () => void;
}

/** `of` says what is looked for; what is looked for anew begins at its first page. */
export function usePages(of: string): PageBy {
  const [at, setAt] = useState<{ of: string; before: string[] }>({ of, before: [] });
  const before = at.of === of ? at.before : [];
  return {
    after: before.at(-1),
    number: before.length + 1,
    on: (last) => setAt({ of, before: [...before, last] }),
    back: () => setAt({ of, before: before.slice(0, -1) }),
  };
}

/** Nothing where one page holds all. `last` is the last row shown where the page is full. */
export function Pages({ pages, last, busy }: { pages: PageBy; last: string | undefined; busy: boolean }) {
  if (pages.number === 1 && !last) return null;
  return (
    <Row as="nav" aria-label="Pages">
      <Button isDisabled={busy || pages.number === 1} onPress={pages.back}>
        Page before
      </Button>
      <Small data-page={pages.number}>Page {pages.number}</Small>
      <Button isDisabled={busy || !last} onPress={() => last && pages.on(last)}>
        Next page
      </Button>
    </Row>
  );
}
