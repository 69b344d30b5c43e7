/** How a value lies, told by a shape and a word, never by colour alone. */

import { useWordOf } from '../../app/choices';
import { Tag, type Tone } from '../../ui/layout';
import type { Schemas } from '../../api/client';

type Flag = Schemas['ResultValue']['flag'];
type Value = Schemas['ResultValue'];

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

/** What was said, without the unit: `<5`, `no growth`, `not measured: clotted`. */
export function saidOf(v: Value): string {
  if (v.missing) return v.words ? `not measured: ${v.words}` : 'not measured';
  return v.number == null ? v.words : `${v.comparator ?? ''}${v.number}`;
}

/** The usual range in words. */
export function rangeOf(v: Pick<Value, 'low' | 'high'> & { range?: string }): string {
  if (v.range) return v.range;
  if (v.low != null && v.high != null) return `${v.low}–${v.high}`;
  if (v.high != null) return `up to ${v.high}`;
  return v.low == null ? '' : `from ${v.low}`;
}
