import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { forget, useKept } from '../../app/kept';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { ForPerson } from '../people/ForPerson';
import { Contact } from './Contact';
import { AskFirst, offeredBy, useMeant, useSlotWords } from './AskFirst';
import { SeriesPart } from './SeriesPart';
import { WhomToAsk } from './WaitingList';

type Slot = Schemas['Slot'];

/** Books one slot: who, why, and how. Somebody new is added on the way. */
export function BookDialog({
  slot,
  minutes,
  extra = false,
  onClose,
  onOther,
  onChangeSlot,
}: {
  slot: Slot | null;
  minutes?: number;
  extra?: boolean;
  onClose: () => void;
  onOther: (s: Slot) => void;
  onChangeSlot?: () => void;
}) {
  const { clinic, setInHand } = useSession();
  const { types } = useChoices();
  const times = useTimes();
  const place = `book/${slot?.id}/${extra}`;
  const [reason, setReason] = useKept(place, 'reason', '');
  const [note, setNote] = useKept(place, 'note', '');
  const [kind, setKind] = useKept(place, 'kind', 'in_person');
  const [length, setLength] = useState(minutes === undefined ? '' : String(minutes));
  const [typeId, setTypeId] = useState<string | null>(slot?.visitTypeId ?? null);
  const [again, setAgain] = useState(false);
  const may = useMay();
  const { meant, also, anew } = useMeant();
  const slotWords = useSlotWords();
  const offerUndo = useUndo();
  const { run, busy, refusal } = useDo();
  if (!slot) return null;
  const clinician = clinic.staff.find((s) => s.id === slot.clinicianId)?.name;
  const type = clinic.visitTypes.find((t) => t.id === slot.visitTypeId);
  const title = `${extra ? 'Extra booking' : (type?.name ?? 'Visit')}, ${times.day(slot.startsAt)} at ${times.time(slot.startsAt)}`;
  const book = async (person: Schemas['PersonCard'], doubts: Schemas['Doubt'][]) => {
    const visitTypeId = typeId === slot.visitTypeId ? null : typeId;
    const where = { slotId: slot.id, minutes: length, visitTypeId, extra, meant: doubts };
    const visit = await run(() =>
      api.POST('/api/visits', { body: { personId: person.id, ...where, reason, note, kind } }),
    );
    if (visit) {
      forget(place);
      setInHand({ visit: visit.id });
      offerUndo(`Booked ${times.day(visit.startsAt)} ${times.time(visit.startsAt)}.`, () =>
        api.POST('/api/visits/{id}/cancel', {
          params: { path: { id: visit.id } },
          body: { reason: 'booked by mistake', byPatient: false },
        }),
      );
      onClose();
    }
  };
  const usual = (new Date(slot.endsAt).getTime() - new Date(slot.startsAt).getTime()) / 60000;
  return (
    <Dialog kept title={title} open onClose={onClose}>
      <Stack $gap={4}>
        <Row>
          <Small>{clinician}</Small>
          <Spread />
          {onChangeSlot && may('change_slots') && (
            <Button $kind="quiet" onPress={onChangeSlot}>
              Change this slot
            </Button>
          )}
        </Row>
        <ForPerson
          place={place}
          before={(take) => <>{!extra && <WhomToAsk slotId={slot.id} onMoved={onClose} onTake={take} />}</>}
        >
          {(person) => (
            <>
              <Contact person={person} />
              <Form refusal={refusal} onSave={() => void book(person, meant)}>
                <Field name="reason" label="Reason" value={reason} onChange={setReason} autoFocus />
                <Columns $min={part.field}>
                  <Pick label="Visit type" value={typeId} onChange={setTypeId} choices={types} />
                  <Field
                    name="minutes"
                    label="Minutes"
                    value={length}
                    onChange={setLength}
                    placeholder={`as the slot, ${usual}`}
                  />
                </Columns>
                <Field name="note" label="Note for the clinic" value={note} onChange={setNote} />
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
                <Refused />
                <AskFirst
                  refusal={refusal}
                  what="Book it all the same"
                  busy={busy}
                  onMeant={() => void book(person, also(refusal))}
                />
                {offeredBy(refusal).map((s) => (
                  <Button
                    key={s.id}
                    onPress={() => {
                      anew();
                      onOther(s);
                    }}
                  >
                    {slotWords(s)}
                  </Button>
                ))}
                {again && (
                  <SeriesPart
                    slot={slot}
                    personId={person.id}
                    wanted={{ reason, note, kind, minutes: length, visitTypeId: typeId }}
                    onBooked={(first) => {
                      forget(place);
                      setInHand({ visit: first.id });
                      onClose();
                    }}
                  />
                )}
                <Row>
                  {!extra && slot.visitTypeId && <Check label="Comes again" value={again} onChange={setAgain} />}
                  <Spread />
                  <Button onPress={onClose}>Leave</Button>
                  {!again && (
                    <Button $kind="filled" type="submit" isDisabled={busy}>
                      Book
                    </Button>
                  )}
                </Row>
              </Form>
            </>
          )}
        </ForPerson>
      </Stack>
    </Dialog>
  );
}
