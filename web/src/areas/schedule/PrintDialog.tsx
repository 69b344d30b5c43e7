import { useState } from 'react';
import { useChoices } from '../../app/choices';
import { Several } from '../../ui/choices';
import { Button, Check, Dialog, Field } from '../../ui/controls';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { api, useLook } from '../../api/client';
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
  const read = (text: string) => ({ params: { query: { text, sense: '' } } }) as const;
  const first = useLook(['date', from], () => api.GET('/api/dates', read(from)), from.length > 1);
  const last = useLook(['date', to], () => api.GET('/api/dates', read(to)), to.length > 1);
  const ready = first.data !== undefined && last.data !== undefined;
  const print = () => {
    if (!first.data || !last.data) return;
    const asked = new URLSearchParams({
      from: first.data.date,
      to: last.data.date,
      clinicianId: who.join(','),
      after,
      before,
      contact: String(contact),
    });
    window.open(`/api/print/day-lists?${asked}`, '_blank');
    onClose();
  };
  return (
    <Dialog title="Print the lists" open onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          print();
        }}
      >
        <Stack $gap={4}>
          <Columns $min={part.wideField}>
            <Field
              label="From"
              value={from}
              onChange={setFrom}
              fault={first.error?.message}
              hint={first.data?.words ?? ''}
              autoFocus
            />
            <Field label="To" value={to} onChange={setTo} fault={last.error?.message} hint={last.data?.words ?? ''} />
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
