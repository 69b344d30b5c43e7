/** A note that is pinned to a time: who made it, and taking it off. */

import { Form, Refused } from '../../ui/Form';
import { api, type Schemas, useDo } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Small, Spread } from '../../ui/layout';

export function NoteDialog({ note, onClose }: { note: Schemas['ScheduleNote']; onClose: () => void }) {
  const times = useTimes();
  const { discreet } = useSession();
  const { run, refusal } = useDo();
  const remove = async () => {
    const done = await run(() => api.DELETE('/api/schedule/notes/{id}', { params: { path: { id: note.id } } }));
    if (done) onClose();
  };
  return (
    <Dialog title={`Note for ${times.time(note.at)}`} open onClose={onClose}>
      <Form refusal={refusal}>
        <p>{discreet ? 'Discreet mode is on, so the note stays folded. Press d to read it.' : note.body}</p>
        <Small>
          {note.madeBy}, {times.full(note.madeAt)}
        </Small>
        <Refused />
        <Row>
          <Spread />
          <Button onPress={() => void remove()}>Remove the note</Button>
        </Row>
      </Form>
    </Dialog>
  );
}
