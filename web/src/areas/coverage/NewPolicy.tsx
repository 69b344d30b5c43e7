import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Form, Refused } from '../../ui/Form';
import { Button } from '../../ui/controls';
import { Row, Spread, Stack } from '../../ui/layout';
import { Box } from './Policy';
import { blankPolicy, formOf, PolicyFields } from './PolicyFields';

/** A policy from its card; the payer is asked at once. */
export function NewPolicy(p: { person: string; visit?: string | undefined; onDone: () => void }) {
  const [typed, setTyped] = useState(blankPolicy);
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const knowingly = refusal?.is('subscriber-known') ?? false;
    const params = { path: { id: p.person } };
    const body = { ...formOf(typed), knowingly };
    const added = await run(() => api.POST('/api/people/{id}/coverages', { params, body }));
    if (!added) return;
    const about = { params: { path: { id: added.id } }, body: { visitId: p.visit ?? null } };
    await run(() => api.POST('/api/coverages/{id}/benefits', about));
    p.onDone();
  };
  return (
    <Form refusal={refusal} onSave={add}>
      <Box>
        <Stack $gap={4}>
          <PolicyFields typed={typed} onChange={setTyped} />
          <Refused />
          <Row>
            <Spread />
            <Button $kind="quiet" onPress={p.onDone}>
              Leave
            </Button>
            <Button $kind="filled" type="submit" isDisabled={busy}>
              Save and ask the payer
            </Button>
          </Row>
        </Stack>
      </Box>
    </Form>
  );
}
