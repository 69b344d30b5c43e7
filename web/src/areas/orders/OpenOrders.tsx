/** Orders that were sent and of which no result is here: the oldest first, each with what it waits for. */

import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices, useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Empty, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { ForHands } from './ForHands';
import { openOrders } from './queries';
import { ToSign } from './ToSign';

type Open = Schemas['OpenOrder'];

export function OpenOrders() {
  const may = useMay();
  const writes = may('write_note');
  const [all, setAll] = useState(false);
  const [kind, setKind] = useState('');
  const [clinician, setClinician] = useState('');
  const [toWhom, setToWhom] = useState('');
  const kinds = useWords('orderKinds');
  const { clinicians } = useChoices();
  const look = useLook(
    openOrders({
      all,
      ...(kind && { kind: kind as Schemas['OrderKind'] }),
      ...(clinician && (all || !writes) && { clinician }),
      ...(toWhom.trim() && { toWhom }),
    }),
  );
  const count = look.data?.count ?? 0;
  const list = look.data?.orders ?? [];
  return (
    <>
      {writes && <ToSign />}
      {may('prepare_orders') && <ForHands />}
      <Sheet>
        <Row style={{ marginBottom: space(2) }}>
          <Small>
            {look.data && `${count} open`}
            {count > list.length && `; the ${list.length} oldest are shown`}
          </Small>
          <Spread />
          <Choose
            label="Kind"
            hideLabel
            choices={[{ id: '', label: 'Every kind' }, ...kinds]}
            value={kind}
            onChange={setKind}
          />
          <Field
            label="Laboratory, or who is asked"
            hideLabel
            placeholder="Laboratory, or who is asked"
            value={toWhom}
            onChange={setToWhom}
          />
          {(all || !writes) && (
            <Pick
              label="Clinician"
              hideLabel
              choices={[{ id: '', label: 'All clinicians' }, ...clinicians]}
              value={clinician}
              onChange={setClinician}
            />
          )}
          {writes && (
            <Button $kind="quiet" aria-pressed={all} onPress={() => setAll(!all)}>
              {all ? 'Mine only' : 'Those of all clinicians'}
            </Button>
          )}
        </Row>
        <AsOf look={look} />
        {unanswered(look) && <Unanswered look={look} rows={6} />}
        {look.data && list.length === 0 && (
          <Empty>Nothing is open here: every such order that was sent has its result.</Empty>
        )}
        {list.length > 0 && (
          <Scroller>
            <Table>
              <thead>
                <tr>
                  <th>Ordered</th>
                  <th>Test</th>
                  <th>For</th>
                  <th>State</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {list.map((o) => (
                  <Line key={o.id} o={o} writes={writes} all={all || !writes} />
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
      </Sheet>
    </>
  );
}

function Line({ o, writes, all }: { o: Open; writes: boolean; all: boolean }) {
  const times = useTimes();
  const identity = useIdentity();
  const [asking, setAsking] = useState(false);
  return (
    <tr data-open-order={o.testName} data-overdue={o.late != null}>
      <td>
        {times.full(o.orderedAt)}
        {all && (
          <div>
            <Small>{o.orderedBy}</Small>
          </div>
        )}
      </td>
      <td>
        {o.closed ? (
          'Restricted chart'
        ) : (
          <Link to={o.visitId ? `/visits/${o.visitId}/sheet` : `/people/${o.person.id}`}>{o.testName}</Link>
        )}
        {o.toWhom && (
          <div>
            <Small>To {o.toWhom}</Small>
          </div>
        )}
      </td>
      <td>
        {identity(o.person)} <Small>{o.person.age}</Small>
      </td>
      <td>
        {o.refused || <Tag>{o.state}</Tag>} {o.late && <Tag $tone={o.refused ? 'coral' : 'brass'}>{o.late}</Tag>}
      </td>
      <td>
        {writes && !o.closed && !asking && (
          <Button $kind="quiet" aria-label={`Take back ${o.testName}`} onPress={() => setAsking(true)}>
            Take back
          </Button>
        )}
        {asking && <TakeBack o={o} close={() => setAsking(false)} />}
      </td>
    </tr>
  );
}

/** Not wanted any more: the laboratory is told why. */
export function TakeBack({ o, close }: { o: { id: string; testName: string }; close: () => void }) {
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const back = async () => {
    const done = await run(() =>
      api.POST('/api/orders/{id}/taken-back', { params: { path: { id: o.id } }, body: { reason } }),
    );
    if (done) close();
  };
  return (
    <Form refusal={refusal} onSave={back}>
      <Stack $gap={1}>
        <Field name="reason" label="Why it is not wanted any more" value={reason} onChange={setReason} autoFocus />
        <Refused />
        <Row>
          <Button $kind="quiet" onPress={close}>
            Leave it
          </Button>
          <Button $kind="stop" isDisabled={busy} type="submit">
            Take back {o.testName}
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
