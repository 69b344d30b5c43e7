/** How much payers deny of what they decide, and what of it was won back. */

import { useState } from 'react';
import { useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useWords } from '../../app/choices';
import { dollars } from '../../app/words';
import { Choose, Field } from '../../ui/controls';
import { Empty, Mono, Row, Scroller, Stack, Table } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { denialRates } from './queries';

/** A share in per cent, of whole numbers. */
const share = (part: number, whole: number) => (whole > 0 ? `${Math.round((100 * part) / whole)} %` : '');

export function DenialRates() {
  const { clinic } = useSession();
  const today = clinic.today;
  const ways = useWords('denialRates');
  const quarter = new Date(`${today}T12:00:00Z`);
  quarter.setUTCDate(quarter.getUTCDate() - 90);
  const [by, setBy] = useState('payer');
  const [days, setDays] = useState({ from: quarter.toISOString().slice(0, 10), to: today });
  const [typed, setTyped] = useState(days);
  const look = useLook(denialRates(by, days.from, days.to));
  const leave = () => {
    if (typed.from !== days.from || typed.to !== days.to) setDays(typed);
  };
  const rows = (look.data ?? []).filter((r) => r.denied > 0 || by === 'payer');
  return (
    <Stack>
      <Row $align="end">
        <Choose label="Rates" hideLabel value={by} onChange={setBy} choices={ways} />
        <div style={{ width: space(30) }} onBlur={leave}>
          <Field label="Decided from" value={typed.from} onChange={(from) => setTyped({ ...typed, from })} />
        </div>
        <div style={{ width: space(30) }} onBlur={leave}>
          <Field label="To" value={typed.to} onChange={(to) => setTyped({ ...typed, to })} />
        </div>
      </Row>
      {unanswered(look) && <Unanswered look={look} />}
      {look.data && rows.length === 0 && <Empty>Nothing was denied on these days.</Empty>}
      {rows.length > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>{ways.find((w) => w.id === by)?.label.replace('By ', '')}</th>
                <th className="number">Decided</th>
                <th className="number">Denied</th>
                <th className="number">Share</th>
                <th className="number">Amount</th>
                <th className="number">Won back</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.name} data-rate={r.name}>
                  <td>{r.name}</td>
                  <td className="number">{r.decided}</td>
                  <td className="number">{r.denied}</td>
                  <td className="number">{share(r.denied, r.decided)}</td>
                  <td className="number">
                    <Mono>{dollars(r.deniedCents)}</Mono>
                  </td>
                  <td className="number">
                    <Mono>{dollars(r.wonCents)}</Mono>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
    </Stack>
  );
}
