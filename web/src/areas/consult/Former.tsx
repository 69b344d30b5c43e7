/** What an entry of a list said before: who changed it when is readable, nothing is gone. */

import { useState } from 'react';
import { useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Small, Stack } from '../../ui/layout';
import { former } from './queries';

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
    <Stack $gap={0} data-former>
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
    </Stack>
  );
}

export function Former({ person, entry, what }: { person: string; entry: string; what: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button $kind="quiet" aria-expanded={open} aria-label={`What ${what} said before`} onPress={() => setOpen(!open)}>
        Before
      </Button>
      {open && <Versions person={person} entry={entry} />}
    </>
  );
}
