/** Serious warnings that were overridden lately: what, by whom and why; not of whom. The often overridden first. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Choose } from '../../ui/controls';
import { Empty, Sheet, Small, Stack, Table } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { overridden } from './queries';

type One = Schemas['OverriddenWarning'];

export function Overridden() {
  const [days, setDays] = useState('7');
  const look = useLook(overridden(Number(days)));
  const times = useTimes();
  const byPair = new Map<string, One[]>();
  for (const one of look.data ?? []) byPair.set(one.about, [...(byPair.get(one.about) ?? []), one]);
  const pairs = [...byPair.values()].sort((a, b) => b.length - a.length);
  return (
    <Sheet data-overridden>
      <h2>Overridden warnings</h2>
      <Stack>
        <Choose
          label="Looking back"
          hideLabel
          value={days}
          onChange={setDays}
          choices={[
            { id: '7', label: 'A week' },
            { id: '30', label: 'A month' },
            { id: '366', label: 'A year' },
          ]}
        />
        {unanswered(look) && <Unanswered look={look} rows={3} />}
        {look.data && pairs.length === 0 && <Empty>No serious warning was overridden in this time.</Empty>}
        {pairs.length > 0 && (
          <Table>
            <thead>
              <tr>
                <th>Warning</th>
                <th>Times</th>
                <th>Why, by whom</th>
              </tr>
            </thead>
            <tbody>
              {pairs.map((list) => (
                <tr key={list[0]?.about} data-pair={list[0]?.about}>
                  <td>
                    <strong>{list[0]?.medicine}</strong>: {list[0]?.sentence}
                  </td>
                  <td>{list.length}</td>
                  <td>
                    {list.slice(0, 5).map((one) => (
                      <div key={one.at + one.reason}>
                        “{one.reason}” <Small>{[one.by, times.full(one.at)].join(', ')}</Small>
                      </div>
                    ))}
                    {list.length > 5 && <Small>and {list.length - 5} more</Small>}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </Stack>
    </Sheet>
  );
}
