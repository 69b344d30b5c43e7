/** What the visit is about and who sees the patient, put right on arrival. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
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
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <Stack $gap={3}>
        <Columns $min={part.wideField}>
          <Field
            label="Reason"
            name="visit-reason"
            value={reason}
            onChange={setReason}
            fault={refusal?.fault('reason')}
          />
          <Field label="Note for the clinic" value={note} onChange={setNote} fault={refusal?.fault('note')} />
          {mayHandOver && <Pick label="Seen by" value={who} onChange={setWho} choices={clinicians} />}
        </Columns>
        {refusal && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
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
      </Stack>
    </form>
  );
}
