import { useState } from 'react';
import { Refusal, type Schemas } from '../../api/client';
import { useChoices } from '../../app/choices';
import { DayField, useTypedDay } from '../../app/days';
import { Several } from '../../ui/choices';
import { Form, Refused } from '../../ui/Form';
import { Button, Check, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';

/** The lists of chosen clinicians, days and times on paper, for the day on which the screens are dark. */
export function PrintDialog({ day, onClose }: { day: string; onClose: () => void }) {
  const { lastNames } = useChoices();
  const [from, setFrom] = useState(day);
  const [to, setTo] = useState(day);
  const [after, setAfter] = useState('');
  const [before, setBefore] = useState('');
  const [contact, setContact] = useState(true);
  const [who, setWho] = useState<string[]>([]);
  const [first, last] = [useTypedDay(from), useTypedDay(to)];
  const ready = first.day !== undefined && last.day !== undefined;
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const print = async () => {
    if (!first.day || !last.day) return;
    const asked = new URLSearchParams({
      from: first.day,
      to: last.day,
      clinicianId: who.join(','),
      after,
      before,
      contact: String(contact),
    });
    // What is wrong is told at its field, before a window opens on it.
    const answer = await fetch(`/api/print/day-lists?${asked}&check=true`).catch(() => null);
    if (answer && !answer.ok) return setRefusal(new Refusal((await answer.json()) as Schemas['Problem']));
    window.open(`/api/print/day-lists?${asked}`, '_blank');
    onClose();
  };
  return (
    <Dialog light title="Print the lists" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void print()}>
        <Stack $gap={4}>
          <Columns $min={part.wideField}>
            <DayField label="From" value={from} onChange={setFrom} read={first} autoFocus />
            <DayField label="To" name="to" value={to} onChange={setTo} read={last} />
            <Field name="after" label="Not before" value={after} onChange={setAfter} placeholder="9:00" />
            <Field name="before" label="Before" value={before} onChange={setBefore} placeholder="16:00" />
          </Columns>
          <Several label="Clinicians" choices={lastNames} value={who} onChange={setWho} />
          <Small>{who.length === 0 ? 'Everybody, one list for each and day.' : 'One list for each and day.'}</Small>
          <Check label="With telephone and e-mail" value={contact} onChange={setContact} />
          <Refused />
          <Row>
            <Spread />
            <Button onPress={onClose}>Leave</Button>
            <Button $kind="filled" type="submit" isDisabled={!ready}>
              Make the PDF
            </Button>
          </Row>
        </Stack>
      </Form>
    </Dialog>
  );
}
