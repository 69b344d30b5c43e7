/** The months of the books: what came to what, and closing a month; the figures of any days. */

import { type ReactNode, useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { figures, months } from './queries';

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
  const ways = useWords('figuresBy');
  const [part, setPart] = useState('months');
  const parts = [{ id: 'months', label: 'Months' }, ...ways];
  const choose = <Choose label="Figures shown" hideLabel value={part} onChange={setPart} choices={parts} />;
  if (part !== 'months') return <Figures key={part} by={part} choose={choose} />;
  return (
    <Stack>
      <Row>{choose}</Row>
      <ByMonth />
    </Stack>
  );
}

/** What the entries of some days came to. */
function Figures({ by, choose }: { by: string; choose: ReactNode }) {
  const { clinic } = useSession();
  const [days, setDays] = useState({ from: `${clinic.today.slice(0, 8)}01`, to: clinic.today });
  const [typed, setTyped] = useState(days);
  const look = useLook(figures(by, days.from, days.to));
  const leave = () => {
    if (typed.from !== days.from || typed.to !== days.to) setDays(typed);
  };
  const rows = look.data?.rows ?? [];
  return (
    <Stack>
      <Row $align="end">
        {choose}
        <Spread />
        <div style={{ width: space(30) }} onBlur={leave}>
          <Field label="From" value={typed.from} onChange={(from) => setTyped({ ...typed, from })} />
        </div>
        <div style={{ width: space(30) }} onBlur={leave}>
          <Field label="To" value={typed.to} onChange={(to) => setTyped({ ...typed, to })} />
        </div>
        <a href={`/api/figures/file?${new URLSearchParams({ by, ...days }).toString()}`}>CSV</a>
      </Row>
      {unanswered(look) && <Unanswered look={look} />}
      {look.data && rows.length === 0 && <Empty>Nothing was posted on these days.</Empty>}
      {look.data && rows.length > 0 && (
        <Scroller>
          <Table data-figures={by}>
            <thead>
              <tr>
                <th />
                <Heads />
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.name} data-figure={r.name}>
                  <td>{r.name}</td>
                  <Sums figures={r.figures} />
                </tr>
              ))}
            </tbody>
            <tfoot>
              <tr>
                <td>Together</td>
                <Sums figures={look.data.total} />
              </tr>
            </tfoot>
          </Table>
        </Scroller>
      )}
    </Stack>
  );
}

const Heads = () =>
  columns.map(([key, words]) => (
    <th key={key} className="number">
      {words}
    </th>
  ));

const Sums = ({ figures: f }: { figures: Schemas['MonthFigures'] }) =>
  columns.map(([key]) => (
    <td key={key} className="number">
      <Mono>{f[key] === 0 ? '–' : dollars(f[key])}</Mono>
    </td>
  ));

function ByMonth() {
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
                <Heads />
                <th />
              </tr>
            </thead>
            <tbody>
              {list.map((m) => (
                <tr key={m.month} data-month={m.month}>
                  <td>{nameOf(m.month)}</td>
                  <Sums figures={m.figures} />
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
