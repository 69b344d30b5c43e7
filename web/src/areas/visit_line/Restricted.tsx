import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Notice, Row, Spread } from '../../ui/layout';

/** A chart under restriction opens with a reason, which is kept and told to the manager. */
export function Restricted({ person, message }: { person: string; message: string }) {
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const open = () =>
    void run(() => api.POST('/api/people/{id}/open-chart', { params: { path: { id: person } }, body: { reason } }));
  return (
    <Notice $tone="brass" role="alert">
      <Form refusal={refusal} onSave={() => open()}>
        <strong>{message}</strong>
        <Field name="reason" label="Why it must be opened" value={reason} onChange={setReason} />
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" isDisabled={busy}>
            Open the chart
          </Button>
        </Row>
      </Form>
    </Notice>
  );
}
