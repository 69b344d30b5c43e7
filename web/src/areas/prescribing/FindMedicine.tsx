/** Finding a medicine: the ingredient first, since that is what is meant; the brand beside it. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { Finder } from '../../ui/Finder';
import { Mono, Small } from '../../ui/layout';
import { products } from './queries';

type Product = Schemas['ProductView'];

/** So many letters say enough to search. */
const LETTERS = 3;

export function FindMedicine(p: {
  label: string;
  autoFocus?: boolean;
  onTake: (product: Product) => void;
  onBlank?: () => void;
}) {
  const [text, setText] = useState('');
  const enough = text.trim().length >= LETTERS;
  const found = useLook(products(text), enough);
  return (
    <Finder
      label={p.label}
      autoFocus={p.autoFocus ?? false}
      value={text}
      onChange={setText}
      placeholder="Three letters of an ingredient or brand; more words narrow it"
      items={enough ? (found.data ?? []) : []}
      keyOf={(x) => x.code}
      textOf={(x) => x.brand}
      {...(p.onBlank ? { onBlank: p.onBlank } : {})}
      onTake={(x) => {
        setText('');
        p.onTake(x);
      }}
      groupOf={(x) => x.ingredients.join(' / ')}
      render={(x) => (
        <>
          {x.form} <Mono>{x.strength}</Mono> <Small>{x.brand}</Small>
          {x.stock ? <Small> · kept here</Small> : null}
        </>
      )}
    />
  );
}
