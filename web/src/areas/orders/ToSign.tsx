/** Orders under one's own name that are not signed: those that lack nothing are signed together. */

import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useIdentity } from '../../app/words';
import { Button, Check } from '../../ui/controls';
import { Notice, Row, Scroller, Sheet, Small, Spread, Table } from '../../ui/layout';
import { Soon } from './Soon';
import { ordersToSign } from './queries';

type Waiting = Schemas['OrderToSign'];

const ready = (o: Waiting) => o.mine && !o.closed && o.lacking.length === 0;

export function ToSign() {
  const look = useLook(ordersToSign());
  const [left, setLeft] = useState<string[]>([]);
  const { run, busy, refusal } = useDo();
  const identity = useIdentity();
  const list = look.data ?? [];
  if (list.length === 0) return null;
  const chosen = list.filter((o) => ready(o) && !left.includes(o.id));
  return (
    <Sheet data-to-sign>
      <Row>
        <h2>To sign</h2>
        <Spread />
        <Button
          $kind="filled"
          isDisabled={busy || chosen.length === 0}
          onPress={() => void run(() => api.POST('/api/orders/signed', { body: { ids: chosen.map((o) => o.id) } }))}
        >
          Sign {chosen.length} {chosen.length === 1 ? 'order' : 'orders'}
        </Button>
      </Row>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th />
              <th>Ordered</th>
              <th>For</th>
              <th>Under</th>
            </tr>
          </thead>
          <tbody>
            {list.map((o) => (
              <tr key={o.id} data-unsigned={o.testName}>
                <td>
                  {ready(o) && (
                    <Check
                      label=""
                      ariaLabel={`Sign ${o.testName}`}
                      value={!left.includes(o.id)}
                      onChange={(on) => setLeft(on ? left.filter((id) => id !== o.id) : [...left, o.id])}
                    />
                  )}
                </td>
                <td>
                  {o.closed ? (
                    'Restricted chart'
                  ) : (
                    <Link to={o.visitId ? `/visits/${o.visitId}/sheet` : `/people/${o.person.id}`}>{o.testName}</Link>
                  )}{' '}
                  <Soon priority={o.priority} />
                  {!o.mine && (
                    <div>
                      <Small>Ordered by {o.orderedBy}, who has left</Small>{' '}
                      {!o.closed && (
                        <Button
                          $kind="quiet"
                          isDisabled={busy}
                          aria-label={`Take over ${o.testName}`}
                          onPress={() =>
                            void run(() => api.POST('/api/orders/{id}/taken-over', { params: { path: { id: o.id } } }))
                          }
                        >
                          Take over
                        </Button>
                      )}
                    </div>
                  )}
                  {o.preparedBy && (
                    <div>
                      <Small>Prepared by {o.preparedBy}</Small>
                    </div>
                  )}
                </td>
                <td>
                  {identity(o.person)} <Small>{o.person.age}</Small>
                </td>
                <td>
                  {o.under.join('; ')}
                  {o.lacking.map((s) => (
                    <div key={s}>
                      <Small>{s}</Small>
                    </div>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
    </Sheet>
  );
}
