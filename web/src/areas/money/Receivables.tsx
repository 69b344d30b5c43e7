/** What is owed to the clinic, by whom and how old; each figure opens into the visits that it is made of. */

import { type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import { type Schemas, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { dollars, owed, plainDate, useIdentity } from '../../app/words';
import { Choose, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Empty, Mono, Opens, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { Calls } from './Calls';
import { behindFigure, type Figure, receivables } from './queries';

/** A figure that was chosen, with what stands over it. */
interface Chosen extends Figure {
  name: string;
  words: string;
}

export function Receivables() {
  const ways = useWords('owedBy');
  const [part, setPart] = useState('payer');
  const parts = [...ways, { id: 'calls', label: 'Calls and plans' }];
  const choose = <Choose label="Receivables shown" hideLabel value={part} onChange={setPart} choices={parts} />;
  if (part !== 'calls') return <ByAge key={part} by={part} choose={choose} />;
  return (
    <Stack>
      <Row>{choose}</Row>
      <Calls />
    </Stack>
  );
}

function ByAge({ by, choose }: { by: string; choose: ReactNode }) {
  const ways = useWords('owedBy');
  const days = useWords('agedFrom');
  const [from, setFrom] = useState('service');
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const look = useLook(receivables(by, from));
  const identity = useIdentity();
  const r = look.data;
  const name = (row: Schemas['ReceivableRow']) => (row.person ? identity(row.person) : row.name);
  const open = (row: Schemas['ReceivableRow'], age: number | null) =>
    setChosen({
      by,
      from,
      id: row.id ?? null,
      age,
      name: name(row),
      words: age === null ? 'paid ahead' : (r?.ages[age] ?? ''),
    });
  return (
    <Stack>
      <Row $align="end">
        {choose}
        <Spread />
        <Pick label="Age" value={from} onChange={setFrom} choices={days} />
        <a href={`/api/receivables/file?by=${by}&from=${from}`}>CSV</a>
      </Row>
      {unanswered(look) && <Unanswered look={look} />}
      {r?.rows.length === 0 && <Empty>Nobody owes anything.</Empty>}
      {r && r.rows.length > 0 && (
        <Scroller>
          <Row>
            <AsOf look={look} />
            {r.all > r.rows.length && (
              <Small>
                The first {r.rows.length} of {r.all}; the sums are over all.
              </Small>
            )}
          </Row>
          <Table data-receivables={by}>
            <thead>
              <tr>
                <th>{ways.find((w) => w.id === by)?.label}</th>
                {r.ages.map((age) => (
                  <th key={age} className="number">
                    {age}
                  </th>
                ))}
                <th className="number">paid ahead</th>
                <th className="number">Together</th>
              </tr>
            </thead>
            <tbody>
              {r.rows.map((row) => (
                <tr key={row.id ?? ''} data-owes={row.person?.recordNumber ?? row.name}>
                  <td>{row.person ? <Link to={`/people/${row.person.id}`}>{name(row)}</Link> : row.name}</td>
                  {row.agesCents.map((cents, age) => (
                    <Cell
                      key={age}
                      cents={cents}
                      label={`${name(row)}, ${r.ages[age]}`}
                      onOpen={() => open(row, age)}
                    />
                  ))}
                  <Cell cents={row.aheadCents} label={`${name(row)}, paid ahead`} onOpen={() => open(row, null)} />
                  <td className="number">
                    <Mono>
                      <b>{owed(row.cents)}</b>
                    </Mono>
                  </td>
                </tr>
              ))}
            </tbody>
            <tfoot>
              <tr>
                <td>Together</td>
                {[...r.total.agesCents, r.total.aheadCents, r.total.cents].map((cents, n) => (
                  <td key={n} className="number">
                    <Mono>
                      <b>{cents === 0 ? '–' : owed(cents)}</b>
                    </Mono>
                  </td>
                ))}
              </tr>
            </tfoot>
          </Table>
        </Scroller>
      )}
      {chosen && <Behind chosen={chosen} onClose={() => setChosen(null)} />}
    </Stack>
  );
}

function Cell({ cents, label, onOpen }: { cents: number; label: string; onOpen: () => void }) {
  return (
    <td className="number">
      {cents === 0 ? (
        <Mono>–</Mono>
      ) : (
        <Opens onClick={onOpen} aria-label={`${owed(cents)}: ${label}`}>
          <Mono>{owed(cents)}</Mono>
        </Opens>
      )}
    </td>
  );
}

function Behind({ chosen: c, onClose }: { chosen: Chosen; onClose: () => void }) {
  const look = useLook(behindFigure({ by: c.by, from: c.from, id: c.id, age: c.age }));
  const identity = useIdentity();
  const list = look.data;
  return (
    <Dialog title={`${c.name}, ${c.words}`} open onClose={onClose} wide>
      {!list && <Unanswered look={look} />}
      {list?.length === 0 && <Empty>Nothing is left of it.</Empty>}
      {list && list.length > 0 && (
        <Scroller>
          <Table>
            <tbody>
              {list.map((d, n) => (
                <tr key={n} data-debt={d.person?.recordNumber}>
                  <td>{plainDate(d.day)}</td>
                  <td>
                    {d.visitId ? (
                      <Link to={`/visits/${d.visitId}/money`} onClick={onClose}>
                        {d.person ? identity(d.person) : 'a visit'}
                      </Link>
                    ) : (
                      <>
                        {d.person && identity(d.person)} <Small>carried over</Small>
                      </>
                    )}
                  </td>
                  <td>{d.payer ?? 'patient'}</td>
                  <td className="number">
                    <Mono>{owed(d.cents)}</Mono>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
      {list && <Small>{dollars(list.reduce((sum, d) => sum + d.cents, 0))} behind this figure.</Small>}
    </Dialog>
  );
}
