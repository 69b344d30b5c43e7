/** Finding what somebody has: a code by words, or words until the code is known. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { codes as codesFound } from '../../app/queries';
import { Button } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Dialog } from '../../ui/Dialog';
import { Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';

type Hit = Schemas['CodeHit'];

/** A code that is found by words; what cannot be billed says what is missing, and words alone may begin a run. */
export function FindProblem(p: {
  label: string;
  placeholder: string;
  id?: string;
  onCode: (code: string) => void;
  onWords?: (words: string) => void;
  autoFocus?: boolean;
}) {
  const [text, setText] = useState('');
  const [choosing, setChoosing] = useState<Hit | null>(null);
  const typed = text.trim();
  const found = useLook(codesFound(text), typed.length > 1);
  const hits: (Hit | { words: string })[] = typed.length > 1 ? [...(found.data ?? [])] : [];
  const { onWords } = p;
  if (onWords && typed.length > 1) hits.push({ words: typed });
  const take = (hit: Hit | { words: string }) => {
    if ('words' in hit) {
      setText('');
      onWords?.(hit.words);
    } else if (hit.seventh.length > 0) {
      setChoosing(hit);
    } else if (hit.missing) {
      // Too general: the search goes on among the codes below it.
      setText(`${hit.code}.`);
    } else {
      setText('');
      p.onCode(hit.code);
    }
  };
  return (
    <div id={p.id}>
      <Finder
        label={p.label}
        hideLabel
        autoFocus={p.autoFocus ?? false}
        value={text}
        onChange={setText}
        items={hits}
        keyOf={(h) => ('words' in h ? 'words' : h.code)}
        textOf={(h) => ('words' in h ? h.words : h.title)}
        placeholder={p.placeholder}
        onTake={take}
        render={(h) =>
          'words' in h ? (
            <span>Begin in words: “{h.words}”</span>
          ) : (
            <Row $gap={2}>
              <Mono>{h.code}</Mono>
              <span style={{ flex: 1, whiteSpace: 'normal' }}>
                {h.title}
                {h.foundBy && <Small> · {h.foundBy}</Small>}
              </span>
              {h.missing && <Tag $tone="brass">{h.seventh.length > 0 ? 'needs a 7th character' : 'too general'}</Tag>}
            </Row>
          )
        }
      />
      {choosing && (
        <Dialog title={`${choosing.code}: which one?`} open onClose={() => setChoosing(null)}>
          <Stack>
            {choosing.seventh.map((s) => (
              <Button
                key={s.code}
                onPress={() => {
                  setChoosing(null);
                  setText('');
                  p.onCode(s.code);
                }}
              >
                <Mono>{s.code}</Mono> {s.meaning}
                <Spread />
              </Button>
            ))}
          </Stack>
        </Dialog>
      )}
    </div>
  );
}
