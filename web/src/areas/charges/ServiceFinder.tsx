/** Finds a service of the catalogue by its name. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { dollars } from '../../app/words';
import { Finder } from '../../ui/Finder';
import { Mono, Small } from '../../ui/layout';
import { services } from './queries';

const priced = (cents: number | null | undefined) => (cents == null ? 'no price' : dollars(cents));

export function ServiceFinder(p: {
  label: string;
  onTake: (service: Schemas['ServiceView']) => void;
  name?: string;
  autoFocus?: boolean;
  /** At the prices of who pays alone. */
  alone?: boolean;
}) {
  const price = (s: Schemas['ServiceView']) => (p.alone ? s.aloneCents : s.priceCents);
  const [text, setText] = useState('');
  const look = useLook(services());
  const word = text.trim().toLowerCase();
  const found = word.length > 1 ? (look.data ?? []).filter((s) => s.service.name.toLowerCase().includes(word)) : [];
  return (
    <Finder
      label={p.label}
      {...(p.name ? { name: p.name } : {})}
      {...(p.autoFocus ? { autoFocus: true } : {})}
      value={text}
      onChange={setText}
      items={found.slice(0, 8)}
      keyOf={(s) => s.service.code}
      textOf={(s) => s.service.name}
      placeholder="Blood draw, spirometry"
      onTake={(s) => {
        setText('');
        p.onTake(s);
      }}
      render={(s) => (
        <>
          {s.service.name} <Mono>{s.service.externalCode}</Mono> <Small>{priced(price(s))}</Small>
        </>
      )}
    />
  );
}
