import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Small, Spread, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { AddSlot } from './AddSlot';
import { slotHistory } from './queries';

/** What a slot is for, changed by hand, and everything that ever happened to it. */
export function SlotDialog({ slot, onClose }: { slot: Schemas['Slot']; onClose: () => void }) {
  const { clinic } = useSession();
  const { types } = useChoices();
  const times = useTimes();
  const [heldFor, setHeldFor] = useState('');
  const [at, setAt] = useState('');
  const [type, setType] = useState<string | null>(slot.visitTypeId ?? null);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const history = useLook(slotHistory(slot.id));
  const [begins, ends] = [new Date(slot.startsAt).getTime(), new Date(slot.endsAt).getTime()];
  const middle = new Date((begins + ends) / 2).toISOString();
  const change = async (body: Schemas['SlotChange']) => {
    if (!(await run(() => api.POST('/api/slots/{id}', { params: { path: { id: slot.id } }, body })))) return;
    const { shiftId, visitTypeId, startsAt } = slot;
    if (body.what === 'delete' && visitTypeId) {
      const again = { place: 'at', at: times.time(startsAt), minutes: (ends - begins) / 60000, visitTypeId };
      offerUndo(`The slot at ${times.time(startsAt)} is deleted.`, () =>
        api.POST('/api/shifts/{id}/slots', { params: { path: { id: shiftId } }, body: again }),
      );
    }
    onClose();
  };
  return (
    <Dialog title={`Slot ${times.time(slot.startsAt)} to ${times.time(slot.endsAt)}`} open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Small>
          {clinic.staff.find((s) => s.id === slot.clinicianId)?.name},{' '}
          {slot.heldFor ? `held for ${slot.heldFor}` : clinic.visitTypes.find((t) => t.id === slot.visitTypeId)?.name}
        </Small>
        <Columns $min={part.list}>
          <Row $align="end">
            <Field name="heldFor" label="Hold it for" value={heldFor} onChange={setHeldFor} placeholder="meeting" />
            <Button isDisabled={busy} onPress={() => void change({ what: 'hold', heldFor })}>
              Hold
            </Button>
          </Row>
          <Row $align="end">
            <Field name="at" label="Split it at" value={at} onChange={setAt} placeholder={times.time(middle)} />
            <Button isDisabled={busy || at === ''} onPress={() => void change({ what: 'split', at })}>
              Split
            </Button>
          </Row>
          <Row $align="end">
            <Pick label="Keep it for" value={type} onChange={setType} choices={types} />
            <Button
              isDisabled={busy || !type}
              onPress={() => type && void change({ what: 'retype', visitTypeId: type })}
            >
              Change
            </Button>
          </Row>
        </Columns>
        <Refused />
        <Row>
          {slot.heldFor && (
            <Button isDisabled={busy} onPress={() => void change({ what: 'free' })}>
              Free it
            </Button>
          )}
          <Button isDisabled={busy} onPress={() => void change({ what: 'join' })}>
            Join with the next one
          </Button>
          <Spread />
          <Button $kind="stop" isDisabled={busy} onPress={() => void change({ what: 'delete' })}>
            Delete the slot
          </Button>
        </Row>
        <AddSlot shiftId={slot.shiftId} onDone={onClose} />
        <h3>History</h3>
        {history.data?.length === 0 && <Small>Nothing is on record before today.</Small>}
        {(history.data?.length ?? 0) > 0 && (
          <Table>
            <tbody>
              {history.data?.map((e) => (
                <tr key={e.id}>
                  <td>
                    {times.full(e.at)} {times.time(e.at)}
                  </td>
                  <td>{e.what}</td>
                  <td>{e.detail}</td>
                  <td>{e.by}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </Form>
    </Dialog>
  );
}
