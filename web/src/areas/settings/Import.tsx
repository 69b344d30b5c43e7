import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { api, type Schemas, useDo } from '../../api/client';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag, type Tone } from '../../ui/layout';

const tone: Record<string, Tone> = { added: 'kelp', twin: 'brass', refused: 'coral' };
const word: Record<string, string> = { added: '✓ comes in', twin: '= likely here', refused: '✕ refused' };

/** People from a file: first what would happen, row by row, then it happens. */
export function Import() {
  const [text, setText] = useState('');
  const [name, setName] = useState('');
  const [answer, setAnswer] = useState<Schemas['ImportAnswer'] | null>(null);
  const { run, busy, refusal } = useDo();
  const send = async (content: string, dryRun: boolean) => {
    const done = await run(() =>
      api.POST('/api/import/people', {
        params: { query: { dry_run: dryRun } },
        body: content,
        bodySerializer: (body) => body,
        headers: { 'content-type': 'text/csv' },
      }),
    );
    setAnswer(done ?? null);
  };
  const choose = async (file: File | undefined) => {
    if (!file) return;
    const content = await file.text();
    setName(file.name);
    setText(content);
    await send(content, true);
  };
  return (
    <Sheet>
      <h2>Bring people in from a file</h2>
      <Stack>
        <Row>
          <FileTrigger acceptedFileTypes={['.csv', 'text/csv']} onSelect={(files) => void choose(files?.[0])}>
            <Button isDisabled={busy}>Choose a CSV file</Button>
          </FileTrigger>
          <Small>
            With headings: first name, last name, and whatever else is known, also payer and subscriber number. First
            you see what would happen.
          </Small>
        </Row>
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        {answer && (
          <>
            <Notice $tone={answer.dryRun ? 'tide' : 'kelp'} role="status">
              {answer.dryRun ? `Nothing is written yet. Of ${name}: ` : `Done: `}
              {answer.added} {answer.dryRun ? 'would come in' : 'came in'}, {answer.twins} likely here already,{' '}
              {answer.refused} refused.
              {answer.unknownHeadings.length > 0 && ` Left out, heading unknown: ${answer.unknownHeadings.join(', ')}.`}
            </Notice>
            <Scroller>
              <Table>
                <thead>
                  <tr>
                    <th className="number">Line</th>
                    <th>Name</th>
                    <th />
                    <th>What it says</th>
                  </tr>
                </thead>
                <tbody>
                  {answer.rows.slice(0, 200).map((r) => (
                    <tr key={r.line} data-verdict={r.verdict}>
                      <td className="number">
                        <Mono>{r.line}</Mono>
                      </td>
                      <td>{r.name}</td>
                      <td>
                        <Tag $tone={tone[r.verdict] ?? 'plain'}>{word[r.verdict]}</Tag>
                      </td>
                      <td>
                        <Small>{r.sentence}</Small>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Table>
            </Scroller>
            {answer.rows.length > 200 && <Small>The first 200 of {answer.rows.length} rows are shown.</Small>}
            {answer.dryRun && (
              <Row>
                <Spread />
                <Button
                  $kind="filled"
                  data-main-action
                  isDisabled={busy || answer.added === 0}
                  onPress={() => void send(text, false)}
                >
                  Bring in {answer.added}
                </Button>
              </Row>
            )}
          </>
        )}
      </Stack>
    </Sheet>
  );
}
