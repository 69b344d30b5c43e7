import { useState } from 'react';
import { useChoices } from '../../app/choices';
import { DayField, useTypedDay } from '../../app/days';
import { Several } from '../../ui/choices';
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
  const print = () => {
    if (!first.day || !last.day) return;
    const asked = new URLSearchParams({
      from: first.day,
      to: last.day,
      clinicianId: who.join(','),
      after,
      before,
      contact: String(contact),
    });
    window.open(`/api/print/day-lists?${asked}`, '_blank');
    onClose();
  };
  return (
    <Dialog light title="Print the lists" open onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          print();
        }}
      >
        <Stack $gap={4}>
          <Columns $min={part.wideField}>
            <DayField label="From" value={from} onChange={setFrom} read={first} autoFocus />
            <DayField label="To" value={to} onChange={setTo} read={last} />
            <Field label="Not before" value={after} onChange={setAfter} placeholder="9:00" />
            <Field label="Before" value={before} onChange={setBefore} placeholder="16:00" />
          </Columns>
          <Several label="Clinicians" choices={lastNames} value={who} onChange={setWho} />
          <Small>{who.length === 0 ? 'Everybody, one list for each and day.' : 'One list for each and day.'}</Small>
          <Check label="With telephone and e-mail" value={contact} onChange={setContact} />
          <Row>
            <Spread />
            <Button onPress={onClose}>Leave</Button>
            <Button $kind="filled" data-main-action type="submit" isDisabled={!ready}>
              Make the PDF
            </Button>
          </Row>
        </Stack>
      </form>
    </Dialog>
  );
}
