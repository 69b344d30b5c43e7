/** Whom to call about what they owe and why now; the plans that run. */

import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { dollars, plainDate, useIdentity, usePhone } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Empty, Mono, Opens, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { callList } from './queries';

export function Calls() {
  const look = useLook(callList());
  const [calling, setCalling] = useState<Schemas['PersonCard'] | null>(null);
  const identity = useIdentity();
  const phone = usePhone();
  const list = look.data;
  return (
    <Stack>
      {unanswered(look) && <Unanswered look={look} />}
      {list?.calls.length === 0 && <Empty>Nobody is to be called today.</Empty>}
      {list && list.calls.length > 0 && (
        <Scroller>
          {list.all > list.calls.length && (
            <Small>
              The first {list.calls.length} of {list.all}.
            </Small>
          )}
          <Table>
            <thead>
              <tr>
                <th>Whom</th>
                <th>Telephone</th>
                <th>Why now</th>
                <th className="number">Owes</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {list.calls.map((c) => (
                <tr key={c.person.id} data-call={c.person.recordNumber}>
                  <td>
                    <Link to={`/people/${c.person.id}`}>{identity(c.person)}</Link>
                  </td>
                  <td>
                    <Mono>{phone(c.person.phone)}</Mono>
                  </td>
                  <td>
                    {c.why}
                    {c.last && (
                      <div>
                        <Small>Last: {c.last.sentence}</Small>
                      </div>
                    )}
                  </td>
                  <td className="number">
                    <Mono>{dollars(c.owedCents)}</Mono>
                  </td>
                  <td>
                    <Button
                      $kind="quiet"
                      aria-label={`Note the call with ${identity(c.person)}`}
                      onPress={() => setCalling(c.person)}
                    >
                      Note the call
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
      {list && list.plans.length > 0 && (
        <>
          <h3>Payment plans</h3>
          <Scroller>
            <Table>
              <tbody>
                {list.plans.map(({ person, plan }) => (
                  <tr key={plan.plan.id} data-plan={person.recordNumber}>
                    <td>
                      <Link to={`/people/${person.id}`}>{identity(person)}</Link>
                    </td>
                    <td>
                      <PlanStands plan={plan} />
                    </td>
                    <td className="number">
                      <Mono>
                        {dollars(plan.paidCents)} of {dollars(plan.totalCents)}
                      </Mono>
                    </td>
                    <td>
                      <Opens onClick={() => setCalling(person)} aria-label={`Note a call with ${identity(person)}`}>
                        Note a call
                      </Opens>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        </>
      )}
      {calling && <CallNote person={calling} onClose={() => setCalling(null)} />}
    </Stack>
  );
}

/** How a plan stands, in words. */
export function PlanStands({ plan: p }: { plan: Schemas['PlanView'] }) {
  if (p.done) return <Tag $tone="kelp">✓ paid</Tag>;
  return (
    <>
      {p.missed > 0 ? (
        <Tag $tone="coral">
          ✕ {p.missed === 1 ? 'one missed' : `${p.missed} missed`}: {dollars(p.behindCents)}
        </Tag>
      ) : (
        <Tag $tone="kelp">✓ kept</Tag>
      )}{' '}
      {p.nextOn && (
        <Small>
          {dollars(p.nextCents)} on {plainDate(p.nextOn)}
        </Small>
      )}
    </>
  );
}

export function CallNote({ person, onClose }: { person: Schemas['PersonCard']; onClose: () => void }) {
  const { run, busy, refusal } = useDo();
  const identity = useIdentity();
  const [sentence, setSentence] = useState('');
  const [promised, setPromised] = useState('');
  const [promisedOn, setPromisedOn] = useState('');
  const [againOn, setAgainOn] = useState('');
  const save = async () => {
    const body = { sentence, promised, promisedOn, againOn };
    if (await run(() => api.POST('/api/people/{id}/calls', { params: { path: { id: person.id } }, body }))) onClose();
  };
  return (
    <Dialog title={`Call with ${identity(person)}`} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Field name="sentence" label="What was said" value={sentence} onChange={setSentence} autoFocus />
        <Columns $min={part.field}>
          <Field name="promised" label="Promised" value={promised} onChange={setPromised} placeholder="50" />
          <Field name="promisedOn" label="By" value={promisedOn} onChange={setPromisedOn} placeholder="+2w, 12 dec" />
          <Field name="againOn" label="Call again on" value={againOn} onChange={setAgainOn} placeholder="+2w" />
        </Columns>
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Note the call
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
