/** Who reads somebody's results while they are away: a colleague, or any clinician. */

import { useState } from 'react';
import { api, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { plainDate } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { standIn } from './queries';

const ANY = 'any';

export function StandIn({ staff }: { staff: string }) {
  const look = useLook(standIn(staff));
  const { clinicians } = useChoices();
  const [deputy, setDeputy] = useState<string | null>(null);
  const [fromDay, setFrom] = useState('today');
  const [toDay, setTo] = useState('+1w');
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: staff } } };
  const holds = look.data;
  const save = () =>
    run(() =>
      api.PUT('/api/staff/{id}/stand-in', {
        ...path,
        body: { deputy: deputy === ANY ? null : deputy, fromDay, toDay },
      }),
    );
  return (
    <Stack $gap={2} data-stand-in>
      {holds && (
        <Row>
          <span>
            {holds.deputyName ?? 'Any clinician'} {holds.now ? 'reads' : 'will read'} them from{' '}
            {plainDate(holds.fromDay)} to {plainDate(holds.toDay)}
          </span>
          <Small>said by {holds.setBy}</Small>
          <Spread />
          <Button isDisabled={busy} onPress={() => void run(() => api.DELETE('/api/staff/{id}/stand-in', path))}>
            End it
          </Button>
        </Row>
      )}
      <Form refusal={refusal} onSave={deputy ? save : () => undefined}>
        <Columns>
          <Pick
            name="deputy"
            label="Who reads the results"
            choices={[...clinicians.filter((c) => c.id !== staff), { id: ANY, label: 'Any clinician' }]}
            value={deputy}
            onChange={setDeputy}
          />
          <Field name="fromDay" label="From" value={fromDay} onChange={setFrom} />
          <Field name="toDay" label="To" value={toDay} onChange={setTo} />
        </Columns>
        <Refused />
        <Row>
          <Small>What waits already is theirs to read too.</Small>
          <Spread />
          <Button type="submit" isDisabled={busy || !deputy}>
            {holds ? 'Say it otherwise' : 'Let them read'}
          </Button>
        </Row>
      </Form>
    </Stack>
  );
}
