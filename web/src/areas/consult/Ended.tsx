/** What no longer holds of a list: with why, when and who said so, and its end taken back. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { ended } from './queries';

export function Ended(p: {
  person: string;
  list: keyof Schemas['EndedEntries'];
  busy: boolean;
  /** Says that it holds again. */
  onBack: (entry: Schemas['EndedEntry']) => void;
}) {
  const times = useTimes();
  const may = useMay();
  const [open, setOpen] = useState(false);
  const look = useLook(ended(p.person));
  const entries = look.data?.[p.list] ?? [];
  if (entries.length === 0) return null;
  return (
    <Stack $gap={1} data-ended>
      <Row>
        <Button $kind="quiet" aria-expanded={open} onPress={() => setOpen(!open)}>
          No longer: {entries.length} {open ? '▴' : '▾'}
        </Button>
      </Row>
      {open &&
        entries.map((e) => (
          <Row key={e.id} $gap={2}>
            <span style={{ textDecoration: 'line-through' }}>{e.words}</span>
            <Small>
              {e.reason} · {e.endedBy}, {times.full(e.endedAt)}
            </Small>
            <Spread />
            {may('record_vitals') && (
              <Button
                $kind="quiet"
                isDisabled={p.busy}
                aria-label={`${e.words} holds again`}
                onPress={() => p.onBack(e)}
              >
                Holds again
              </Button>
            )}
          </Row>
        ))}
    </Stack>
  );
}
