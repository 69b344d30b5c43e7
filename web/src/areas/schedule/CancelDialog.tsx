import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Choose, Dialog, Pick } from '../../ui/controls';
import { Notice, Row, Spread, Stack } from '../../ui/layout';

/** Cancels a visit: by whose wish, and why, from the clinic's list. */
export function CancelDialog({ visit, onClose }: { visit: Schemas['Visit']; onClose: () => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const [whom, setWhom] = useState('patient');
  const [reason, setReason] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const cancel = async () => {
    const body = { reason: reason ?? '', byPatient: whom === 'patient' };
    if (await run(() => api.POST('/api/visits/{id}/cancel', { params: { path: { id: visit.id } }, body }))) onClose();
  };
  return (
    <Dialog title={`Cancel ${times.day(visit.startsAt)} at ${times.time(visit.startsAt)}`} open onClose={onClose}>
      <Stack $gap={4}>
        <Choose
          label="Who cancels"
          value={whom}
          onChange={setWhom}
          choices={[
            { id: 'patient', label: 'The patient' },
            { id: 'clinic', label: 'The clinic' },
          ]}
        />
        <Pick
          label="Reason"
          value={reason}
          onChange={setReason}
          choices={clinic.cancelReasons.map((r) => ({ id: r, label: r }))}
        />
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        <Row>
          <Spread />
          <Button onPress={onClose}>Leave it</Button>
          <Button $kind="stop" data-main-action onPress={() => void cancel()} isDisabled={busy || reason === null}>
            Cancel the visit
          </Button>
        </Row>
      </Stack>
    </Dialog>
  );
}
