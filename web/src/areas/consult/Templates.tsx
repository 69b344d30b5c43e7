/** Text templates at a part of the note: those for the reason of the visit offered, all of them by a key. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useUndo } from '../../app/undo';
import { useWordOf } from '../../app/choices';
import { Button } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Row, Small, Stack } from '../../ui/layout';
import { texts } from './queries';
import { keyOf, type PartAt, useWriting } from './writing';

type Offered = Schemas['OfferedText'];

/** Writes a template into the note, and goes to its first field. */
export function usePutTemplate(visit: string, at: PartAt) {
  const offerUndo = useUndo();
  const { flushAll, setToFill } = useWriting();
  const { run, busy, refusal } = useDo();
  const put = async ({ template }: Offered) => {
    // It goes after what is being typed.
    await flushAll();
    const params = { path: { id: visit, entry: template.entryId } };
    const answer = await run(() => api.POST('/api/visits/{id}/texts/{entry}', { params, body: { run: at.run } }));
    if (!answer) return;
    const { done } = answer;
    const places = done.flatMap((d) => (d.kind === 'written' ? [{ part: d.part, run: d.run ?? null }] : []));
    const here = places.find((p) => keyOf(p) === keyOf(at)) ?? places[0];
    setToFill(here ? keyOf(here) : null);
    offerUndo(`${template.title} is written.`, () =>
      api.POST('/api/visits/{id}/quick-line/taken-back', { params: { path: { id: visit } }, body: { done } }),
    );
  };
  return { put, busy, refusal };
}

/** What fits the reason of the visit, beside an empty part that has the focus. */
export function TemplatesOffered(p: {
  visit: string;
  at: PartAt;
  busy: boolean;
  onTake: (t: Offered) => void;
  onAll: () => void;
}) {
  const look = useLook(texts('', p.visit));
  const fitting = (look.data ?? [])
    .filter((t) => t.fitsReason && t.template.texts.some((x) => x.part === p.at.part))
    .slice(0, 3);
  return (
    <Row $gap={1} data-templates>
      {fitting.map((t) => (
        <Button key={t.template.id} $kind="quiet" excludeFromTabOrder isDisabled={p.busy} onPress={() => p.onTake(t)}>
          {t.template.title}
        </Button>
      ))}
      <Button $kind="quiet" excludeFromTabOrder onPress={p.onAll}>
        Template… Alt+T
      </Button>
    </Row>
  );
}

/** Any template, by its name or by what it is for. */
export function FindTemplate(p: { visit: string; onTake: (t: Offered) => void; onClose: () => void }) {
  const [words, setWords] = useState('');
  const look = useLook(texts(words, p.visit));
  const label = useWordOf('noteParts');
  return (
    <Stack
      $gap={1}
      onKeyDown={(event) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        p.onClose();
      }}
    >
      <Finder
        label="Template"
        hideLabel
        autoFocus
        value={words}
        onChange={setWords}
        placeholder="A template by its name or complaint; Esc closes"
        items={look.data ?? []}
        keyOf={(t) => t.template.id}
        textOf={(t) => t.template.title}
        onTake={p.onTake}
        render={(t) => (
          <Row $gap={2}>
            <span>{t.template.title}</span>
            <Small>
              {t.template.texts.map((x) => label(x.part)).join(', ')}
              {t.template.ownerId && ' · your own'}
              {t.fitsReason && ' · for the reason of this visit'}
            </Small>
          </Row>
        )}
      />
    </Stack>
  );
}
