/** Specimens to take and things to do here: for whoever has the hands free. */

import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Row, Scroller, Sheet, Small, Table } from '../../ui/layout';
import { Taken, containersInWords } from './Paying';
import { Soon } from './Soon';
import { forHands } from './queries';

export function ForHands() {
  const look = useLook(forHands());
  const list = look.data ?? [];
  if (list.length === 0) return null;
  return (
    <Sheet data-for-hands>
      <h2>To take and to do here</h2>
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th>Ordered</th>
              <th>What</th>
              <th>For</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {list.map((w) => (
              <Line key={w.id} w={w} />
            ))}
          </tbody>
        </Table>
      </Scroller>
    </Sheet>
  );
}

function Line({ w }: { w: Schemas['ForHands'] }) {
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const [taking, setTaking] = useState(false);
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: w.id } } };
  const laboratory = w.kind === 'laboratory';
  return (
    <tr data-hands={w.name}>
      <td style={{ whiteSpace: 'nowrap' }}>
        {times.full(w.orderedAt)}
        <div>
          <Small>{w.orderedBy}</Small>
        </div>
      </td>
      <td>
        {w.closed ? (
          'Restricted chart'
        ) : (
          <Link to={w.visitId ? `/visits/${w.visitId}/sheet` : `/people/${w.person.id}`}>{w.name}</Link>
        )}{' '}
        <Soon priority={w.priority} />
        {w.containers.length > 0 && (
          <div>
            <Small>{containersInWords(w.containers)}</Small>
          </div>
        )}
      </td>
      <td>
        {identity(w.person)} <Small>{w.person.age}</Small>
      </td>
      <td>
        {!w.closed && may('prepare_orders') && !taking && (
          <Row $gap={1}>
            {laboratory && (
              <Button
                $kind="quiet"
                aria-label={`Labels for ${w.name}`}
                onPress={() => window.open(`/api/orders/${w.id}/labels`, '_blank')}
              >
                Labels
              </Button>
            )}
            {laboratory ? (
              <Button aria-label={`Taken: ${w.name}`} onPress={() => setTaking(true)}>
                Taken
              </Button>
            ) : (
              <Button
                isDisabled={busy}
                aria-label={`Done: ${w.name}`}
                onPress={() => void run(() => api.POST('/api/orders/{id}/done', path))}
              >
                Done
              </Button>
            )}
          </Row>
        )}
        {taking && <Taken id={w.id} again={false} close={() => setTaking(false)} />}
        {refusal && <Small role="alert">{refusal.message}</Small>}
      </td>
    </tr>
  );
}
