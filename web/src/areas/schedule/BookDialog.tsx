import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useSession } from '../../app/session';
import { telephone, useTimes } from '../../app/words';
import { Button, Choose, Dialog, Field } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { FindPerson } from '../people/FindPerson';
import { QuickAdd } from '../people/QuickAdd';

type Slot = Schemas['Slot'];

/** Books one slot: who, why, and how. Somebody new is added on the way. */
export function BookDialog({
  slot,
  onClose,
  onOther,
}: {
  slot: Slot;
  onClose: () => void;
  onOther: (s: Slot) => void;
}) {
  const { clinic, inHand, setInHand } = useSession();
  const times = useTimes();
  const [person, setPerson] = useState<Schemas['PersonCard'] | null>(null);
  const [adding, setAdding] = useState<string | null>(null);
  const [reason, setReason] = useState('');
  const [note, setNote] = useState('');
  const [kind, setKind] = useState('in_person');
  const { run, busy, refusal } = useDo();
  const clinician = clinic.staff.find((s) => s.id === slot.clinicianId)?.name;
  const type = clinic.visitTypes.find((t) => t.id === slot.visitTypeId);
  const title = `${type?.name ?? 'Visit'}, ${times.day(slot.startsAt)} at ${times.time(slot.startsAt)}`;
  const book = async () => {
    if (!person) return;
    const visit = await run(() =>
      api.POST('/api/visits', { body: { personId: person.id, slotId: slot.id, reason, note, kind } }),
    );
    if (visit) {
      setInHand({ visit: visit.id });
      onClose();
    }
  };
  const offered = refusal?.is('taken') ? ((refusal.problem.current ?? []) as Slot[]) : [];
  return (
    <Dialog title={title} open onClose={onClose}>
      <Stack $gap={4}>
        <Small>{clinician}</Small>
        {adding !== null ? (
          <QuickAdd
            typed={adding}
            onDone={(added) => {
              setPerson(added);
              setAdding(null);
            }}
            onBack={() => setAdding(null)}
          />
        ) : person ? (
          <>
            <Row>
              <div>
                <strong>{person.name}</strong>
                <br />
                <Small>{[person.age, person.recordNumber, telephone(person.phone)].filter(Boolean).join(' · ')}</Small>
              </div>
              <Spread />
              <Button onPress={() => setPerson(null)}>Somebody else</Button>
            </Row>
            <form
              onSubmit={(event) => {
                event.preventDefault();
                void book();
              }}
            >
              <Stack $gap={4}>
                <Field
                  label="Reason"
                  value={reason}
                  onChange={setReason}
                  fault={refusal?.fault('reason')}
                  autoFocus
                  name="reason"
                />
                <Field label="Note for the clinic" value={note} onChange={setNote} fault={refusal?.fault('note')} />
                <Choose
                  label="Kind"
                  value={kind}
                  onChange={setKind}
                  choices={[
                    { id: 'in_person', label: 'In person' },
                    { id: 'phone', label: 'By telephone' },
                    { id: 'video', label: 'By video' },
                  ]}
                />
                {refusal && refusal.problem.fields.length === 0 && (
                  <Notice $tone="coral" role="alert">
                    {refusal.message}
                  </Notice>
                )}
                {offered.map((s) => (
                  <Button key={s.id} onPress={() => onOther(s)}>
                    {times.day(s.startsAt)} at {times.time(s.startsAt)}
                  </Button>
                ))}
                <Row>
                  <Spread />
                  <Button onPress={onClose}>Leave</Button>
                  <Button $kind="filled" data-main-action type="submit" isDisabled={busy}>
                    Book
                  </Button>
                </Row>
              </Stack>
            </form>
          </>
        ) : (
          <FindPerson
            onTake={setPerson}
            onNew={setAdding}
            preferred={inHand && 'person' in inHand ? inHand.person : undefined}
          />
        )}
      </Stack>
    </Dialog>
  );
}
