/** Services and prices out to a file and in from one: first what each line would do, then it is done. */

import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { api, type Schemas, useDo } from '../../../api/client';
import { useMay } from '../../../app/session';
import { useUndo } from '../../../app/undo';
import { useTimes } from '../../../app/words';
import { Button, Choose } from '../../../ui/controls';
import { Notice, Row, Sheet, Small, Spread, Stack } from '../../../ui/layout';
import { type Shown, Verdicts } from '../../house/Verdicts';

type Answer = Schemas['CatalogueFileAnswer'];

const kinds = {
  services: {
    path: '/api/catalogue/services',
    label: 'Services',
    hint: 'With headings: code, name, and whatever else is known, as the file that is written here has them.',
  },
  prices: {
    path: '/api/catalogue/prices',
    label: 'Prices',
    hint: 'With headings: service, price, and if they are known schedule, from and to.',
  },
} as const;
type Kind = keyof typeof kinds;

const verdicts: Shown = {
  refused: { tone: 'coral', word: '✕ refused' },
  changed: { tone: 'tide', word: '≠ changed' },
  new: { tone: 'kelp', word: '+ new' },
  same: { tone: 'plain', word: '= as it is' },
};

const takeBack = (id: string) => () => api.POST('/api/price-changes/{id}/take-back', { params: { path: { id } } });

export function PriceFiles({ changes }: { changes: Schemas['PriceChange'][] }) {
  const may = useMay();
  const times = useTimes();
  const [kind, setKind] = useState<Kind>('services');
  const [held, setHeld] = useState<File | null>(null);
  const [answer, setAnswer] = useState<Answer | null>(null);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const send = async (file: File, dryRun: boolean) => {
    const done = await run(() =>
      api.POST(kinds[kind].path, {
        params: { query: { dry_run: dryRun, file: file.name } },
        body: file as unknown as string,
        bodySerializer: (body) => body,
        headers: { 'content-type': 'text/csv' },
      }),
    );
    setAnswer(done ?? null);
    if (done?.change) offerUndo(`Prices of ${file.name} are set.`, takeBack(done.change));
  };
  const choose = (file: File | undefined) => {
    if (!file) return;
    setHeld(file);
    void send(file, true);
  };
  const toDo = (answer?.new ?? 0) + (answer?.changed ?? 0);
  return (
    <Sheet>
      <h2>Lists in and out</h2>
      <Stack>
        <Choose
          label="Which list"
          value={kind}
          onChange={(next) => {
            setKind(next as Kind);
            setAnswer(null);
          }}
          choices={Object.entries(kinds).map(([id, k]) => ({ id, label: k.label }))}
        />
        <Row>
          <a href={kinds[kind].path} download>
            Write the {kind} to a file
          </a>
          {may('set_prices') && (
            <FileTrigger acceptedFileTypes={['.csv', 'text/csv']} onSelect={(files) => choose(files?.[0])}>
              <Button isDisabled={busy}>Bring {kind} in</Button>
            </FileTrigger>
          )}
          <Small>{kinds[kind].hint}</Small>
        </Row>
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        {answer && (
          <Stack $gap={2} data-file-answer>
            <Notice $tone={answer.dryRun ? 'tide' : 'kelp'} role="status">
              {answer.dryRun ? `Nothing is written yet. Of ${held?.name ?? ''}: ` : 'Done: '}
              {answer.new} new, {answer.changed} changed, {answer.same} as they are, {answer.refused} refused.
              {answer.unknownHeadings.length > 0 && ` Left out, heading unknown: ${answer.unknownHeadings.join(', ')}.`}
            </Notice>
            <Verdicts rows={answer.rows} verdicts={verdicts} />
            {answer.dryRun && (
              <Row>
                <Spread />
                <Button $kind="filled" isDisabled={busy || toDo === 0} onPress={() => held && void send(held, false)}>
                  Take in {toDo} lines
                </Button>
              </Row>
            )}
          </Stack>
        )}
        {changes.length > 0 && (
          <Stack $gap={1} data-price-changes>
            <Small>Set together lately</Small>
            {changes.slice(0, 5).map((c) => (
              <Row key={c.id}>
                <span>{c.what}</span>
                <Small>
                  {times.full(c.at)}, {c.by}
                </Small>
                <Spread />
                {c.takenBackAt ? (
                  <Small>taken back</Small>
                ) : (
                  may('set_prices') && (
                    <Button
                      $kind="quiet"
                      isDisabled={busy}
                      aria-label={`Take back: ${c.what}`}
                      onPress={() => void run(takeBack(c.id))}
                    >
                      Take back
                    </Button>
                  )
                )}
              </Row>
            ))}
          </Stack>
        )}
      </Stack>
    </Sheet>
  );
}
