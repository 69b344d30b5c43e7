import { Form, Refused } from '../../ui/Form';
import { api, useDo } from '../../api/client';
import { forget, useKept } from '../../app/kept';
import { useSession } from '../../app/session';
import { Button, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Spread } from '../../ui/layout';

/** A short note for a clinician, pinned to a time of the day. */
export function NewNote({ day, onClose }: { day: string; onClose: () => void }) {
  const { clinic } = useSession();
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  const place = `pin/${day}`;
  const [who, setWho] = useKept(place, 'who', clinicians[0]?.id ?? '');
  const [at, setAt] = useKept(place, 'at', '');
  const [body, setBody] = useKept(place, 'body', '');
  const { run, busy, refusal } = useDo();
  const pin = async () => {
    const form = { clinicianId: who, day, time: at, body };
    if (!(await run(() => api.POST('/api/schedule/notes', { body: form })))) return;
    forget(place);
    onClose();
  };
  return (
    <Dialog kept title="Pin a note to a time" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void pin()}>
        <Pick
          label="For"
          value={who}
          onChange={setWho}
          choices={clinicians.map((c) => ({ id: c.id, label: c.name }))}
        />
        <Field name="time" label="Time" value={at} onChange={setAt} placeholder="10:20" />
        <Field name="body" label="Note" value={body} onChange={setBody} />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Pin the note
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
