/** How a value lies, told by a shape and a word, never by colour alone. */

import { useWordOf } from '../../app/choices';
import { Tag, type Tone } from '../../ui/layout';
import type { Schemas } from '../../api/client';

type Flag = Schemas['ResultValue']['flag'];

/** The shape that stands for a mark; nothing where there is none to see. */
export function shapeOf(flag: Flag | undefined): string {
  if (!flag || flag === 'N') return '';
  if (flag === 'NEG') return '○';
  const shape = flag.startsWith('L') ? '▼' : flag.startsWith('H') ? '▲' : '◆';
  return flag.length === 2 ? shape + shape : shape;
}

export const isCritical = (flag: Flag | undefined) => flag === 'LL' || flag === 'HH' || flag === 'AA';

export function Mark({ flag }: { flag: Flag | undefined }) {
  const wordOf = useWordOf('interpretations');
  if (!flag || flag === 'N') return null;
  const tone: Tone = isCritical(flag) ? 'coral' : flag === 'NEG' ? 'plain' : 'brass';
  return (
    <Tag $tone={tone}>
      {shapeOf(flag)} {wordOf(flag)}
    </Tag>
  );
}
