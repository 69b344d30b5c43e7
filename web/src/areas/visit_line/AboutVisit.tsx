/** What the visit is about and who sees the patient, put right on arrival. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Row, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';

export function AboutVisit({ visit, mayHandOver }: { visit: Schemas['Visit']; mayHandOver: boolean }) {
  const { clinicians } = useChoices();
  const [reason, setReason] = useState(visit.reason);
  const [note, setNote] = useState(visit.bookingNote);
  const [who, setWho] = useState(visit.clinicianId);
  const { run, busy, refusal } = useDo();
  const save = () => {
    const body = { version: visit.version, reason, note, clinicianId: who };
    void run(() => api.PUT('/api/visits/{id}', { params: { path: { id: visit.id } }, body }));
  };
  return (
    <Form refusal={refusal} onSave={() => save()}>
      <Columns $min={part.wideField}>
        <Field name="reason" label="Reason" value={reason} onChange={setReason} />
        <Field name="note" label="Note for the clinic" value={note} onChange={setNote} />
        {mayHandOver && <Pick label="Seen by" value={who} onChange={setWho} choices={clinicians} />}
      </Columns>
      <Refused />
      <Row>
        {who !== visit.clinicianId && (
          <Small>Beside what is booked with them; the time that is given up is free again.</Small>
        )}
        <Spread />
        <Button
          type="submit"
          isDisabled={busy || (reason === visit.reason && note === visit.bookingNote && who === visit.clinicianId)}
        >
          Put right
        </Button>
      </Row>
    </Form>
  );
}
