/** Fields of a template within the words of a note: Tab goes through them, numbers choose, and what was typed is looked at. */

import { type KeyboardEvent, useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react';
import { api, Refusal, type Schemas, take } from '../../api/client';
import { Button } from '../../ui/controls';
import { Row, Small } from '../../ui/layout';

type ToFill = Schemas['FieldToFill'];

interface At {
  field: ToFill;
  start: number;
  /** How much stands after it: what is typed in its place ends there. */
  tail: number;
}

/** What is asked for in words, beside its field. */
const asks: Record<ToFill['kind'], string> = {
  words: 'in words',
  choice: '',
  number: 'a number',
  date: 'a date',
  optional: '',
  fact: 'the chart does not know it',
};

export function useFilling(p: {
  area: () => HTMLTextAreaElement | null;
  body: string;
  fields: ToFill[];
  change: (body: string) => void;
}) {
  const { area, body, fields } = p;
  const [at, setAt] = useState<At | null>(null);
  const [fault, setFault] = useState('');
  // A selection to be made once the words stand there.
  const wanted = useRef<[number, number] | null>(null);
  useLayoutEffect(() => {
    const field = area();
    if (!wanted.current || !field || field.value.length < wanted.current[1]) return;
    field.setSelectionRange(...wanted.current);
    wanted.current = null;
  });

  const next = useCallback(
    (text: string, from: number): At | null => {
      const found = fields
        .map((field) => ({ field, start: text.indexOf(field.source, from) }))
        .filter((f) => f.start >= 0)
        .sort((a, b) => a.start - b.start)[0];
      return found ? { ...found, tail: text.length - found.start - found.field.source.length } : null;
    },
    [fields],
  );
  const before = (text: string, to: number): At | null => {
    const found = fields
      .map((field) => ({ field, start: to > 0 ? text.lastIndexOf(field.source, to - 1) : -1 }))
      .filter((f) => f.start >= 0 && f.start + f.field.source.length <= to)
      .sort((a, b) => b.start - a.start)[0];
    return found ? { ...found, tail: text.length - found.start - found.field.source.length } : null;
  };
  const go = (to: At | null) => {
    setAt(to);
    setFault('');
    if (!to) return;
    const range: [number, number] = [to.start, to.start + to.field.source.length];
    const field = area();
    field?.focus();
    if (field && field.value.length >= range[1]) field.setSelectionRange(...range);
    else wanted.current = range;
  };
  /** Puts words in the place of the field, and goes on. */
  const put = (here: At, words: string) => {
    const rest = body.slice(body.length - here.tail);
    const text = body.slice(0, here.start) + words + (words === '' ? rest.replace(/^ /, '') : rest);
    p.change(text);
    const following = next(text, here.start + words.length);
    setFault('');
    setAt(following);
    wanted.current = following
      ? [following.start, following.start + following.field.source.length]
      : [here.start + words.length, here.start + words.length];
    area()?.focus();
  };
  const typedAt = (here: At) => body.slice(here.start, body.length - here.tail);
  /** Looks at what was typed in the place of a number or a date; false when it has to be typed again. */
  const judge = async (here: At): Promise<void> => {
    const typed = typedAt(here);
    try {
      const body = { source: here.field.source, typed };
      put(here, (await take(api.POST('/api/texts/answer', { body }))).text);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setFault(error.message);
      area()?.setSelectionRange(here.start, here.start + typed.length);
    }
  };
  const options = (here: At) =>
    here.field.kind === 'choice'
      ? here.field.choices.map((c) => [c, c] as const)
      : here.field.kind === 'optional'
        ? ([
            ['Say it', here.field.label],
            ['Leave it out', ''],
          ] as const)
        : [];
  const untouched = at !== null && typedAt(at) === at.field.source;
  const keys = (event: KeyboardEvent<HTMLElement>) => {
    const field = area();
    if (!field || event.target !== field || event.ctrlKey || event.metaKey || event.altKey) return;
    const onField = at !== null && untouched && field.selectionStart === at.start && field.selectionEnd > at.start;
    if (onField && /^[1-9]$/.test(event.key)) {
      const chosen = options(at)[Number(event.key) - 1];
      if (!chosen) return;
      event.preventDefault();
      put(at, chosen[1]);
      return;
    }
    if (event.key !== 'Tab') return;
    if (event.shiftKey) {
      const earlier = before(body, field.selectionStart);
      if (!earlier) return setAt(null);
      event.preventDefault();
      go(earlier);
      return;
    }
    const typed = at !== null && !untouched && typedAt(at).trim() !== '';
    if (typed && (at.field.kind === 'number' || at.field.kind === 'date')) {
      event.preventDefault();
      void judge(at);
      return;
    }
    const following = next(body, field.selectionEnd);
    if (!following) return setAt(null);
    event.preventDefault();
    go(following);
  };
  return { at, untouched, fault, keys, options, put, first: () => go(next(body, 0)), leave: () => setAt(null) };
}

export type Filling = ReturnType<typeof useFilling>;

/** What the field in hand asks, and what it may be. */
export function FieldAsked({ filling }: { filling: Filling }) {
  const { at, untouched, fault } = filling;
  if (!at) return null;
  const { field } = at;
  return (
    <Row $gap={2} data-field-asked={field.label} aria-live="polite">
      {fault !== '' && <Small role="alert">{fault}</Small>}
      {field.kind !== 'optional' && (
        <Small>
          {field.label}
          {asks[field.kind] && `: ${asks[field.kind]}`}
          {field.unit && `, ${field.unit}`}
        </Small>
      )}
      {untouched &&
        filling.options(at).map(([label, words], n) => (
          <Button key={label} $kind="quiet" excludeFromTabOrder onPress={() => filling.put(at, words)}>
            {n + 1} {label}
          </Button>
        ))}
      <Small>Tab: on</Small>
    </Row>
  );
}

/** Goes to the first field of a part as soon as its words stand there. */
export function useToFill(p: { mine: boolean; body: string; fields: ToFill[]; first: () => void; done: () => void }) {
  const { mine, body, fields } = p;
  const stands = mine && fields.some((f) => body.includes(f.source));
  useEffect(() => {
    if (!stands) return;
    p.first();
    p.done();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the words are there
  }, [stands]);
}
