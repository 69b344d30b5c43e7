/** Charges that were completed: opened again with the reason, and what came of that. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';

type Correction = Schemas['ChargeCorrection'];

const ended: Record<string, string> = {
  charged: 'Charged again',
  left: 'Opened again and left as they were',
  taken_back: 'Taken back',
};

/** Under completed charges: they are so, and can be opened again. */
export function Completed({ visit }: { visit: string }) {
  const may = useMay();
  const [asked, setAsked] = useState(false);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const open = async () => {
    const params = { path: { id: visit } };
    if (await run(() => api.POST('/api/visits/{id}/charges/again', { params, body: { reason } }))) setAsked(false);
  };
  return (
    <Row style={{ marginTop: space(3) }}>
      <Tag $tone="kelp">✓ charges completed</Tag>
      <Spread />
      {may('edit_charges') && <Button onPress={() => setAsked(true)}>Put the charges right</Button>}
      {asked && (
        <Dialog title="Open the charges again" open onClose={() => setAsked(false)}>
          <Form refusal={refusal} onSave={() => void open()}>
            <Small>
              Nothing moves on the books until they are charged again. A claim that the payer has is then replaced, or
              voided where another payer pays.
            </Small>
            <Field
              name="reason"
              label="What is to be put right"
              value={reason}
              onChange={setReason}
              placeholder="two units instead of one"
              autoFocus
            />
            <Refused />
            <Row>
              <Spread />
              <Button $kind="filled" type="submit" isDisabled={busy}>
                Open them again
              </Button>
            </Row>
          </Form>
        </Dialog>
      )}
    </Row>
  );
}

/** Over charges that are open again: since when and why, and the two ways out besides charging again. */
export function OpenAgain({ visit, correction }: { visit: string; correction: Correction }) {
  const times = useTimes();
  const may = useMay();
  const [sure, setSure] = useState(false);
  const { run, busy, refusal } = useDo();
  const params = { path: { id: visit } };
  return (
    <Notice $tone="brass" data-open-again style={{ marginBottom: space(4) }}>
      <Stack $gap={2}>
        <span>
          Open again since {times.full(correction.begunAt)}, {times.time(correction.begunAt)}, by {correction.begunBy}:{' '}
          <strong>{correction.reason}</strong>
        </span>
        <Small>What was charged before stands on the books, and no claim of this visit is sent, until this ends.</Small>
        {may('edit_charges') && (
          <Row>
            <Button
              isDisabled={busy}
              onPress={() => void run(() => api.POST('/api/visits/{id}/charges/leave', { params }))}
            >
              Leave them as they were
            </Button>
            {sure ? (
              <Button
                $kind="stop"
                isDisabled={busy}
                onPress={() => void run(() => api.POST('/api/visits/{id}/charges/take-back', { params }))}
              >
                Charge nothing for this visit, and void its claims
              </Button>
            ) : (
              <Button $kind="quiet" onPress={() => setSure(true)}>
                Take the charges back
              </Button>
            )}
          </Row>
        )}
        {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      </Stack>
    </Notice>
  );
}

/** What the charges were before, a correction each. */
export function Corrected({ all }: { all: Correction[] }) {
  const times = useTimes();
  return all.map((c) => (
    <details key={c.id} data-corrected={c.outcome}>
      <summary style={{ cursor: 'pointer' }}>
        <Small>
          {ended[c.outcome ?? '']} {c.endedAt && times.full(c.endedAt)} by {c.endedBy}: {c.reason}
        </Small>
      </summary>
      <Table>
        <tbody>
          {c.before.lines.map((l) => (
            <tr key={l.id}>
              <td>
                <Mono>{l.serviceCode}</Mono>
              </td>
              <td>{l.modifiers.join(' ')}</td>
              <td className="number">{l.units}</td>
              <td className="number">{l.priceCents == null ? '' : dollars(l.priceCents * l.units)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </details>
  ));
}
