import { Form, Refused } from '../../ui/Form';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Button, Check, Choose, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Spread, Stack } from '../../ui/layout';
import { WhomToAsk } from './WaitingList';
import { seriesOf } from './queries';
import { waitingFor } from './queries';

/** Cancels a visit: by whose wish, and why, from the clinic's list. */
export function CancelDialog({ visit, onClose }: { visit: Schemas['Visit']; onClose: () => void }) {
  const { clinic, now } = useSession();
  const times = useTimes();
  const [whom, setWhom] = useState('patient');
  const [reason, setReason] = useState<string | null>(null);
  const [freed, setFreed] = useState<string | null>(null);
  const [rest, setRest] = useState(false);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const look = useLook(seriesOf(visit.id));
  const series = look.data?.series;
  const later = look.data?.visits.filter((v) => v.stage === 'booked' && v.startsAt > visit.startsAt).length ?? 0;
  const cancel = async () => {
    const body = { reason: reason ?? '', byPatient: whom === 'patient' };
    if (rest && series) {
      const all = { ...body, from: visit.startsAt };
      if (await run(() => api.POST('/api/series/{id}/cancel-rest', { params: { path: { id: series.id } }, body: all })))
        onClose();
      return;
    }
    if (!(await run(() => api.POST('/api/visits/{id}/cancel', { params: { path: { id: visit.id } }, body })))) return;
    offerUndo(`Cancelled ${times.day(visit.startsAt)} ${times.time(visit.startsAt)}.`, () =>
      api.POST('/api/visits/{id}/stage', { params: { path: { id: visit.id } }, body: { to: 'back' } }),
    );
    if (visit.slotId && new Date(visit.startsAt) > now) setFreed(visit.slotId);
    else onClose();
  };
  if (freed) return <Freed slotId={freed} at={visit.startsAt} onClose={onClose} />;
  return (
    <Dialog title={`Cancel ${times.day(visit.startsAt)} at ${times.time(visit.startsAt)}`} open onClose={onClose}>
      <Form refusal={refusal}>
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
        {series && later > 0 && (
          <Check label={`And the ${later} later ones of the series (${series.rule})`} value={rest} onChange={setRest} />
        )}
        <Refused />
        <Row>
          <Spread />
          <Button onPress={onClose}>Leave it</Button>
          <Button $kind="stop" data-main-action onPress={() => void cancel()} isDisabled={busy || reason === null}>
            {rest ? `Cancel ${later + 1} visits` : 'Cancel the visit'}
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

/** The time is free again; whoever waits for one like it is asked first. */
function Freed({ slotId, at, onClose }: { slotId: string; at: string; onClose: () => void }) {
  const times = useTimes();
  const navigate = useNavigate();
  const { setInHand } = useSession();
  const look = useLook(waitingFor(slotId));
  const nobody = look.error !== null || look.data?.length === 0;
  useEffect(() => {
    if (nobody) onClose();
  }, [nobody, onClose]);
  if (!look.data || nobody) return null;
  return (
    <Dialog title={`${times.day(at)} at ${times.time(at)} is free again`} open onClose={onClose}>
      <Stack>
        <WhomToAsk
          slotId={slotId}
          onMoved={onClose}
          onTake={(person) => {
            setInHand({ person: person.id });
            navigate(`/schedule?day=${times.date(at)}`);
            onClose();
          }}
        />
        <Row>
          <Spread />
          <Button onPress={onClose}>Leave it free</Button>
        </Row>
      </Stack>
    </Dialog>
  );
}
