/** The months of the books: what came to what, and closing a month. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { months } from './queries';

type Month = Schemas['MonthView'];

const columns: [keyof Schemas['MonthFigures'], string][] = [
  ['charged', 'Charged'],
  ['fromPayers', 'From payers'],
  ['fromPatients', 'From patients'],
  ['writtenOff', 'By contract'],
  ['givenUp', 'Given up'],
  ['takenOff', 'Taken off'],
  ['carriedOver', 'Carried over'],
  ['forNoVisit', 'For no visit'],
  ['owedMore', 'Owed more'],
];

const nameOf = (month: string) =>
  new Date(`${month}T12:00:00Z`).toLocaleDateString('en-US', { month: 'long', year: 'numeric', timeZone: 'UTC' });

export function Months() {
  const look = useLook(months());
  const may = useMay();
  const times = useTimes();
  const [closing, setClosing] = useState<Month | null>(null);
  const list = look.data;
  return (
    <Stack>
      {unanswered(look) && <Unanswered look={look} />}
      {list?.length === 0 && <Empty>Nothing is posted yet.</Empty>}
      {list && list.length > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Month</th>
                {columns.map(([key, words]) => (
                  <th key={key} className="number">
                    {words}
                  </th>
                ))}
                <th />
              </tr>
            </thead>
            <tbody>
              {list.map((m) => (
                <tr key={m.month} data-month={m.month}>
                  <td>{nameOf(m.month)}</td>
                  {columns.map(([key]) => (
                    <td key={key} className="number">
                      <Mono>{m.figures[key] === 0 ? '–' : dollars(m.figures[key])}</Mono>
                    </td>
                  ))}
                  <td>
                    {m.closed ? (
                      <>
                        <Tag>closed</Tag>{' '}
                        <Small>
                          {times.full(m.closed.closedAt)}, {m.closed.closedBy}
                        </Small>
                      </>
                    ) : m.mayBeClosed && may('close_months') ? (
                      <Button aria-label={`Close ${nameOf(m.month)}`} onPress={() => setClosing(m)}>
                        Close
                      </Button>
                    ) : (
                      <Small>{m.mayBeClosed ? 'may be closed' : 'open'}</Small>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
      <Small>
        A closed month takes no entries; what is put right later lands in the open one. Owed more: by how much the
        receivables grew.
      </Small>
      {closing && <Closing month={closing} onClose={() => setClosing(null)} />}
    </Stack>
  );
}

function Closing({ month: m, onClose }: { month: Month; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const close = async () => {
    if (await run(() => api.POST('/api/months', { body: { month: m.month } }))) onClose();
  };
  return (
    <Dialog title={`Close ${nameOf(m.month)}`} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void close()}>
        <Notice $tone="brass">
          {dollars(m.figures.charged)} were charged, {dollars(m.figures.fromPayers + m.figures.fromPatients)} came in.
          Once closed, the month takes no entries, and it cannot be opened again.
        </Notice>
        <Refused />
        <Row>
          <Spread />
          <Button $kind="quiet" onPress={onClose}>
            Leave it open
          </Button>
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Close the month
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
