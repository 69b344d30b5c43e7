import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useProgress } from '../../app/live';
import { useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { Button, Check, Choose } from '../../ui/controls';
import { Notice, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { Meter } from '../../ui/Meter';
import { Imports } from './Imports';
import { type Shown, Verdicts } from './Verdicts';

const verdicts: Shown = {
  refused: { tone: 'coral', word: '✕ refused' },
  twin: { tone: 'brass', word: '= likely here' },
  added: { tone: 'kelp', word: '✓ comes in' },
};

const kinds = {
  people: {
    label: 'People, CSV',
    path: '/api/import/people',
    type: 'text/csv',
    files: ['.csv', 'text/csv'],
    hint: 'With headings: first name, last name, and whatever else is known, also payer and subscriber number.',
  },
  policies: {
    label: 'Policies, CSV',
    path: '/api/import/policies',
    type: 'text/csv',
    files: ['.csv', 'text/csv'],
    hint: 'With headings: record number, payer, subscriber number, and whatever else is known of the policy.',
  },
  balances: {
    label: 'Balances, CSV',
    path: '/api/import/balances',
    type: 'text/csv',
    files: ['.csv', 'text/csv'],
    hint: 'With headings: record number, amount (below zero: a credit), since, note. Each line comes in once.',
  },
  fhir: {
    label: 'A person, FHIR',
    path: '/api/import/fhir',
    type: 'application/fhir+json',
    files: ['.json', 'application/json', 'application/fhir+json'],
    hint: 'A FHIR R4 bundle with Patient and Coverage, as another system writes it.',
  },
} as const;

/** People from a file: first what would happen, row by row, then it happens. */
export function Import() {
  // As it lies on the disk: the server knows the ways in which offices save text.
  const [held, setHeld] = useState<File | null>(null);
  const [name, setName] = useState('');
  const [answer, setAnswer] = useState<Schemas['ImportAnswer'] | null>(null);
  // Of those who are likely here: the lines that were looked at and are somebody else.
  const [also, setAlso] = useState<number[]>([]);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const { now } = useSession();
  // What goes on is told under an id of our making.
  const [going, setGoing] = useState<string | null>(null);
  const progress = useProgress(going);
  const [kind, setKind] = useState<keyof typeof kinds>('people');
  const send = async (content: File, dryRun: boolean) => {
    const { path, type } = kinds[kind];
    const id = crypto.randomUUID();
    setGoing(id);
    const done = await run(() =>
      // All of them take a text and answer alike.
      api.POST(path as '/api/import/people', {
        params: { query: { dry_run: dryRun, also: dryRun ? '' : also.join(','), id, file: content.name } },
        body: content as unknown as string,
        bodySerializer: (body) => body,
        headers: { 'content-type': type },
      }),
    );
    setGoing(null);
    setAnswer(done ?? null);
    const came = done?.id;
    if (came)
      offerUndo(`${done.added} came in from ${content.name}.`, () =>
        api.POST('/api/imports/{id}/take-back', { params: { path: { id: came } }, body: { leaveUsed: false } }),
      );
  };
  const choose = async (file: File | undefined) => {
    if (!file) return;
    setName(file.name);
    setHeld(file);
    setAlso([]);
    await send(file, true);
  };
  return (
    <Sheet>
      <h2>Bring people in from a file</h2>
      <Stack>
        <Choose
          label="What the file holds"
          value={kind}
          onChange={(next) => {
            setKind(next as keyof typeof kinds);
            setAnswer(null);
          }}
          choices={Object.entries(kinds).map(([id, k]) => ({ id, label: k.label }))}
        />
        <Row>
          <FileTrigger acceptedFileTypes={kinds[kind].files} onSelect={(files) => void choose(files?.[0])}>
            <Button isDisabled={busy}>Choose the file</Button>
          </FileTrigger>
          <Small>{kinds[kind].hint} First you see what would happen.</Small>
        </Row>
        {busy && (
          <Meter aria-label={`Reading ${name}`} value={progress?.done ?? 0} maxValue={progress?.of ?? 1}>
            {progress ? `${progress.done} of ${progress.of} lines` : `Reading ${name} …`}
          </Meter>
        )}
        <Imports now={now} />
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        {!busy && answer && (
          <>
            <Notice $tone={answer.dryRun ? 'tide' : 'kelp'} role="status">
              {answer.dryRun ? `Nothing is written yet. Of ${name}: ` : `Done: `}
              {answer.added} {answer.dryRun ? 'would come in' : 'came in'}, {answer.twins} likely here already,{' '}
              {answer.refused} refused.
              {answer.unknownHeadings.length > 0 && ` Left out, heading unknown: ${answer.unknownHeadings.join(', ')}.`}
            </Notice>
            <Verdicts
              rows={answer.rows}
              verdicts={verdicts}
              more={(r) =>
                answer.dryRun &&
                kind === 'people' &&
                r.verdict === 'twin' && (
                  <Check
                    label="somebody else: bring in"
                    ariaLabel={`Line ${r.line} is somebody else`}
                    value={also.includes(r.line)}
                    onChange={(on) => setAlso(on ? [...also, r.line] : also.filter((l) => l !== r.line))}
                  />
                )
              }
            />
            {answer.dryRun && (
              <Row>
                <Spread />
                <Button
                  $kind="filled"
                  isDisabled={busy || answer.added + also.length === 0}
                  onPress={() => held && void send(held, false)}
                >
                  Bring in {answer.added + also.length}
                </Button>
              </Row>
            )}
          </>
        )}
      </Stack>
    </Sheet>
  );
}
