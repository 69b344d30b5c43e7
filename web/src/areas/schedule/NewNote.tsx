import { api, useDo } from '../../api/client';
import { forget, useKept } from '../../app/kept';
import { useSession } from '../../app/session';
import { Button, Dialog, Field, Pick } from '../../ui/controls';
import { Notice, Row, Spread, Stack } from '../../ui/layout';

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
    <Dialog title="Pin a note to a time" open onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void pin();
        }}
      >
        <Stack $gap={4}>
          <Pick
            label="For"
            value={who}
            onChange={setWho}
            choices={clinicians.map((c) => ({ id: c.id, label: c.name }))}
          />
          <Field label="Time" value={at} onChange={setAt} placeholder="10:20" fault={refusal?.fault('time')} />
          <Field label="Note" value={body} onChange={setBody} fault={refusal?.fault('body')} />
          {refusal && refusal.problem.fields.length === 0 && <Notice $tone="coral">{refusal.message}</Notice>}
          <Row>
            <Spread />
            <Button $kind="filled" data-main-action type="submit" isDisabled={busy}>
              Pin the note
            </Button>
          </Row>
        </Stack>
      </form>
    </Dialog>
  );
}
