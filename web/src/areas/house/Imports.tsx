import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { imports } from './queries';

type Import = Schemas['Import'];

/** An import that says nothing for so long while it is not at its end has broken off, in milliseconds. */
const ALIVE = 120_000;

function standing(i: Import, now: Date): string {
  if (i.undoneAt) return i.stayed > 0 ? `taken back; ${i.stayed} stay, worked with since` : 'taken back';
  if (i.endedAt) return '';
  const going = now.getTime() - new Date(i.startedAt).getTime() < ALIVE;
  return `${going ? 'at' : 'broke off after'} line ${i.done} of ${i.lines}`;
}

/** What came in with files: each can be taken back as a whole. */
export function Imports({ now }: { now: Date }) {
  const times = useTimes();
  const look = useLook(imports());
  const { run, busy, refusal, forget } = useDo();
  // The one whose taking back was asked about: somebody of it was worked with since.
  const [asked, setAsked] = useState<Import | null>(null);
  if (!look.data || look.data.length === 0) return null;
  const takeBack = async (row: Import, leaveUsed: boolean) => {
    setAsked(row);
    const params = { path: { id: row.id } };
    if (await run(() => api.POST('/api/imports/{id}/take-back', { params, body: { leaveUsed } }))) setAsked(null);
  };
  return (
    <Stack>
      <h3>What came in lately</h3>
      {refusal && (
        <Notice $tone={refusal.is('used-since') ? 'brass' : 'coral'} role="alert">
          <Row>
            <span>{refusal.message}</span>
            <Spread />
            {asked && refusal.is('used-since') && (
              <Button $kind="stop" isDisabled={busy} onPress={() => void takeBack(asked, true)}>
                Take the others back
              </Button>
            )}
            <Button
              $kind="quiet"
              onPress={() => {
                setAsked(null);
                forget();
              }}
            >
              Leave it
            </Button>
          </Row>
        </Notice>
      )}
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th>When</th>
              <th>File</th>
              <th>By</th>
              <th className="number">Came in</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {look.data.map((row) => (
              <tr key={row.id} data-import={row.id}>
                <td>
                  <Mono>
                    {times.day(row.startedAt)} {times.time(row.startedAt)}
                  </Mono>
                </td>
                <td>
                  {row.fileName || 'a file'} <Small>{standing(row, now)}</Small>
                </td>
                <td>{row.by}</td>
                <td className="number">
                  <Mono>
                    {row.added} {row.kind}
                  </Mono>
                </td>
                <td>
                  {!row.undoneAt && (
                    <Button
                      isDisabled={busy}
                      aria-label={`Take back ${row.fileName}`}
                      onPress={() => void takeBack(row, false)}
                    >
                      Take back
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
    </Stack>
  );
}
