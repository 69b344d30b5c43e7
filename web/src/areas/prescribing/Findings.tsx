/** What speaks against a prescription: the gravest first, each with its reason; what was overridden before stands quieter. */

import type { Schemas } from '../../api/client';
import { useTimes } from '../../app/words';
import { Notice, Small, Stack } from '../../ui/layout';

type Finding = Schemas['FindingView'] | Schemas['GivenWarning'];

const tone = { serious: 'coral', caution: 'brass', note: 'tide' } as const;
const word = { serious: 'Serious', caution: 'Caution', note: 'Note' } as const;

export function Findings({ list }: { list: Finding[] }) {
  const times = useTimes();
  return (
    <Stack $gap={1}>
      {list.map((f) => {
        const before = 'before' in f ? f.before : null;
        if (before)
          return (
            <Small key={f.sentence} data-finding={f.kind} data-before>
              {word[f.severity]}, overridden before by {before.by} on {times.full(before.at)} (“{before.reason}”):{' '}
              {f.sentence}
            </Small>
          );
        if (f.severity === 'note')
          return (
            <Small key={f.sentence} data-finding={f.kind}>
              {f.kind === 'missing' ? 'Not known' : word.note}: {f.sentence}
            </Small>
          );
        return (
          <Notice key={f.sentence} $tone={tone[f.severity]} data-finding={f.kind}>
            <strong>{f.kind === 'missing' ? 'Not known' : word[f.severity]}: </strong>
            {f.sentence}
          </Notice>
        );
      })}
    </Stack>
  );
}
