/** What an entry of a list said before: who changed it when is readable, nothing is gone. */

import { useState } from 'react';
import styled from 'styled-components';
import { useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Small, Stack } from '../../ui/layout';
import { former, historyVersions } from './queries';

/** Below the row that it was asked in. */
const Below = styled(Stack)`
  flex-basis: 100%;
  order: 1;
`;

interface Said {
  recorded_at?: string;
  recorded_by?: string;
  state?: string;
  since?: string;
  until?: string;
  how?: string;
  reason?: string;
  end_reason?: string;
  weight?: string | null;
  reaction?: string;
  ended_at?: string | null;
}

function Versions({ person, entry }: { person: string; entry: string }) {
  const times = useTimes();
  const look = useLook(former(person, entry));
  if (!look.data) return null;
  if (look.data.length === 0) return <Small>Never changed.</Small>;
  return (
    <Below $gap={0} data-former>
      {look.data.map((v) => {
        const said = v.said as Said;
        const facts = [
          said.state,
          said.weight,
          said.reaction,
          said.how,
          said.since && `since ${said.since}`,
          said.until && `until ${said.until}`,
          said.ended_at && 'ended',
          said.reason || said.end_reason,
        ];
        return (
          <Small key={v.id}>
            {said.recorded_by}, {said.recorded_at && `${times.full(said.recorded_at)} ${times.time(said.recorded_at)}`}:{' '}
            {facts.filter(Boolean).join(', ') || 'as it stands'}
          </Small>
        );
      })}
    </Below>
  );
}

function Lines({ person, entry }: { person: string; entry: string }) {
  const times = useTimes();
  const look = useLook(historyVersions(person, entry));
  if (!look.data) return null;
  return (
    <Below $gap={0} data-former>
      {look.data.map((v) => (
        <Small key={v.version}>
          {v.recordedBy}, {times.full(v.recordedAt)} {times.time(v.recordedAt)}: {v.words}
          {v.ended && `, ended: ${v.ended}`}
        </Small>
      ))}
    </Below>
  );
}

export function Former(p: { person: string; entry: string; what: string; history?: boolean }) {
  const { person, entry, what } = p;
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button $kind="quiet" aria-expanded={open} aria-label={`What ${what} said before`} onPress={() => setOpen(!open)}>
        Before
      </Button>
      {open && (p.history ? <Lines person={person} entry={entry} /> : <Versions person={person} entry={entry} />)}
    </>
  );
}
