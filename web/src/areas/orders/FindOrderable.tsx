/** Finds what can be ordered: tests, studies, what is done here, specialties. */

import { useState } from 'react';
import { useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { Finder } from '../../ui/Finder';
import { Mono, Small } from '../../ui/layout';
import { orderables } from './queries';

export function FindOrderable(p: {
  /** For whom: what repeats an order, or is known, is told before it is taken. */
  person: string;
  autoFocus?: boolean;
  onTake: (code: string) => void;
  onBlank?: () => void;
}) {
  const [text, setText] = useState('');
  const kindOf = useWordOf('orderKinds');
  const asked = text.trim().length > 0;
  const found = useLook(orderables(text, p.person), asked);
  return (
    <Finder
      label="Find what to order"
      {...(p.autoFocus && { autoFocus: true })}
      value={text}
      onChange={setText}
      placeholder={`Test, study, something done here, specialty: potassium, x-ray knee, ecg, cardio${p.onBlank ? '; Enter on nothing closes' : ''}`}
      items={asked ? (found.data ?? []) : []}
      keyOf={(t) => t.code}
      textOf={(t) => t.name}
      {...(p.onBlank && { onBlank: p.onBlank })}
      onTake={(t) => {
        setText('');
        p.onTake(t.code);
      }}
      render={(t) => (
        <>
          {t.name}{' '}
          <Small>
            {t.kind === 'laboratory' ? (
              <>
                {t.short} · {t.specimen} · <Mono>{t.loinc}</Mono>
              </>
            ) : (
              `${t.short} · ${kindOf(t.kind)}`
            )}
          </Small>
          {t.already && (
            <Small style={{ display: 'block' }} data-already>
              ◷ {t.already}
            </Small>
          )}
        </>
      )}
    />
  );
}
