/** A decision that matches nothing: the claims that it might be about, what agrees and what does not, and the match by hand. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { dollars, plainDate, useBareName, useIdentity } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Empty, Mono, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Unanswered } from '../../ui/Unanswered';
import { candidates } from './queries';

export function Matching({ decision: d, onClose }: { decision: Schemas['RemittedClaim']; onClose: () => void }) {
  const look = useLook(candidates(d.id));
  const { run, busy, refusal } = useDo();
  const identity = useIdentity();
  const bareName = useBareName();
  const [claim, setClaim] = useState('');
  const match = async (number: string) => {
    const body = { claim: number };
    const done = await run(() => api.POST('/api/decisions/{id}/match', { params: { path: { id: d.id } }, body }));
    if (done) onClose();
  };
  return (
    <Dialog title={`Which claim is ${d.claimNumber}?`} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void match(claim)}>
        <Stack $gap={1}>
          <span>
            {bareName(d.patientName)}, charged <Mono>{dollars(d.chargedCents)}</Mono>, paid{' '}
            <Mono>{dollars(d.paidCents)}</Mono>
          </span>
          <Small>{d.explanation[0]}</Small>
        </Stack>
        {!look.data && <Unanswered look={look} />}
        {look.data?.length === 0 && <Empty>No claim of ours is like it.</Empty>}
        {(look.data?.length ?? 0) > 0 && (
          <Scroller>
            <Table>
              <tbody>
                {look.data?.map((c) => (
                  <tr key={c.claim.id} data-candidate={c.claim.number}>
                    <td>
                      <Mono>{c.claim.number}</Mono>
                      <div>
                        <Mono>{dollars(c.claim.totalCents)}</Mono>
                      </div>
                    </td>
                    <td>
                      {identity(c.person)}
                      <div>
                        <Small>
                          visit of {plainDate(c.day)}, {c.payer}
                        </Small>
                      </div>
                    </td>
                    <td>
                      {c.agrees.join(', ')}
                      <div>
                        <Small>{c.differs ?? 'all but the number agrees'}</Small>
                      </div>
                    </td>
                    <td>
                      <Button isDisabled={busy} onPress={() => void match(c.claim.number)}>
                        It is {c.claim.number}
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
        <Row $align="end">
          <div style={{ width: part.field }}>
            <Field name="claim" label="Another claim" value={claim} onChange={setClaim} placeholder="C1042" />
          </div>
          <Spread />
          <Button type="submit" isDisabled={busy || !claim.trim()}>
            Match it
          </Button>
        </Row>
        <Refused />
      </Form>
    </Dialog>
  );
}
