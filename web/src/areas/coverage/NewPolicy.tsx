import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { useSession } from '../../app/session';
import { Form, Refused } from '../../ui/Form';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Row, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { FindPerson } from '../people/FindPerson';
import { NewParty } from '../people/NewParty';
import { Box } from './Policy';
import { rankWord } from './PolicyTimeline';

const relations = [
  { id: '18', label: 'The patient' },
  { id: '01', label: 'Spouse' },
  { id: '19', label: 'Parent (patient is the child)' },
  { id: 'G8', label: 'Somebody else' },
];

/** A policy from its card; the payer is asked at once. */
export function NewPolicy(p: { person: string; visit?: string | undefined; onDone: () => void }) {
  const { clinic } = useSession();
  const [payer, setPayer] = useState<string | null>(null);
  const [number, setNumber] = useState('');
  const [group, setGroup] = useState('');
  const [relationship, setRelationship] = useState('18');
  const [rank, setRank] = useState('P');
  const [plan, setPlan] = useState('');
  const [starts, setStarts] = useState('');
  const [ends, setEnds] = useState('');
  const [copay, setCopay] = useState('');
  const [holder, setHolder] = useState<{ id: string; name: string } | null>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const added = await run(() =>
      api.POST('/api/people/{id}/coverages', {
        params: { path: { id: p.person } },
        body: {
          payerId: payer,
          subscriberNumber: number,
          groupNumber: group,
          rank,
          planName: plan,
          startsOn: starts,
          endsOn: ends,
          copay,
          knowingly: refusal?.is('subscriber-known') ?? false,
          relationship,
          holderId: relationship === '18' ? null : (holder?.id ?? null),
        },
      }),
    );
    if (added) {
      await run(() =>
        api.POST('/api/coverages/{id}/benefits', {
          params: { path: { id: added.id } },
          body: { visitId: p.visit ?? null },
        }),
      );
      p.onDone();
    }
  };
  return (
    <Form refusal={refusal} onSave={add}>
      <Box>
        <Stack $gap={4}>
          <Columns $min={part.wideField}>
            <Pick
              name="payerId"
              label="Payer"
              value={payer}
              onChange={setPayer}
              choices={clinic.payers.map((x) => ({ id: x.id, label: x.name }))}
            />
            <Field label="Subscriber number" name="subscriberNumber" value={number} onChange={setNumber} />
            <Field name="groupNumber" label="Group number" value={group} onChange={setGroup} />
            <Pick label="Policyholder" value={relationship} onChange={setRelationship} choices={relations} />
            <Pick
              label="Rank"
              value={rank}
              onChange={setRank}
              choices={Object.entries(rankWord).map(([id, label]) => ({ id, label }))}
            />
            <Field name="planName" label="Plan" value={plan} onChange={setPlan} />
            <Field
              name="startsOn"
              label="In force from"
              value={starts}
              onChange={setStarts}
              placeholder="start of this year"
            />
            <Field name="endsOn" label="Until" value={ends} onChange={setEnds} placeholder="open" />
            <Field name="copay" label="Copay" value={copay} onChange={setCopay} />
          </Columns>
          {relationship !== '18' &&
            (holder ? (
              <Row>
                <p>Held by {holder.name}</p>
                <Button $kind="quiet" onPress={() => setHolder(null)}>
                  Somebody else
                </Button>
              </Row>
            ) : typed === null ? (
              <FindPerson label="Find the policyholder" onTake={setHolder} onNew={setTyped} />
            ) : (
              <NewParty
                as="Policyholder"
                typed={typed}
                onMade={(made) => setHolder({ id: made.id, name: `${made.lastName}, ${made.firstName}` })}
                onBack={() => setTyped(null)}
              />
            ))}
          <Refused />
          <Row>
            <Spread />
            <Button $kind="filled" type="submit" isDisabled={busy}>
              Save and ask the payer
            </Button>
          </Row>
        </Stack>
      </Box>
    </Form>
  );
}
