import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Notice, Row, Spread, Stack } from '../../ui/layout';

/** A chart under restriction opens with a reason, which is kept and told to the manager. */
export function Restricted({ person, message }: { person: string; message: string }) {
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const open = () =>
    void run(() => api.POST('/api/people/{id}/open-chart', { params: { path: { id: person } }, body: { reason } }));
  return (
    <Notice $tone="brass" role="alert">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          open();
        }}
      >
        <Stack>
          <strong>{message}</strong>
          <Field
            label="Why it must be opened"
            name="reason"
            value={reason}
            onChange={setReason}
            fault={refusal?.fault('reason')}
          />
          <Row>
            <Spread />
            <Button type="submit" isDisabled={busy}>
              Open the chart
            </Button>
          </Row>
        </Stack>
      </form>
    </Notice>
  );
}
