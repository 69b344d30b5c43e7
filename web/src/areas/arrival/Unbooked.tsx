/** A visit without an appointment: somebody stands at the desk, telephones, was seen at home; paper work. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { forget, useKept } from '../../app/kept';
import { useMay, useSession } from '../../app/session';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { ForPerson } from '../people/ForPerson';

type Card = Schemas['PersonCard'];

function Begin({ person, onClose }: { person: Card; onClose: () => void }) {
  const { clinic, me, site: here, setInHand } = useSession();
  const { clinicians, sites, types } = useChoices();
  const may = useMay();
  const navigate = useNavigate();
  const place = `unbooked/${person.id}`;
  const [kind, setKind] = useKept(place, 'kind', 'in_person');
  const [who, setWho] = useState<string | null>(me.staff.role === 'clinician' ? me.staff.id : null);
  const [site, setSite] = useState(here?.id ?? '');
  const [type, setType] = useState(types[0]?.id ?? '');
  const [reason, setReason] = useKept(place, 'reason', '');
  const [date, setDate] = useKept(place, 'date', '');
  const [time, setTime] = useKept(place, 'time', '');
  const { run, busy, refusal } = useDo();
  const begin = async () => {
    const body = { kind, clinicianId: who ?? '', siteId: site, visitTypeId: type, reason, date, time };
    const path = { params: { path: { id: person.id } } };
    const visit = await run(() => api.POST('/api/people/{id}/visits', { ...path, body }));
    if (!visit) return;
    forget(place);
    forget('unbooked');
    setInHand({ visit: visit.id });
    onClose();
    if (visit.stage === 'here' && may('check_in')) navigate(`/visits/${visit.id}/check-in`);
    else if (may('write_note')) navigate(`/visits/${visit.id}/note`);
  };
  return (
    <Form refusal={refusal} onSave={() => void begin()}>
      <Choose
        label="What it is"
        value={kind}
        onChange={setKind}
        choices={clinic.looks.kinds.map((k) => ({ id: k.id, label: k.label }))}
      />
      <Field name="reason" label="Reason" value={reason} onChange={setReason} autoFocus />
      <Columns $min={part.field}>
        <Pick label="Clinician" value={who} onChange={setWho} choices={clinicians} />
        <Pick label="Visit type" value={type} onChange={setType} choices={types} />
        <Pick label="Site" value={site} onChange={setSite} choices={sites} />
        <Field name="date" label="Date" value={date} onChange={setDate} placeholder="today" />
        <Field name="time" label="Time" value={time} onChange={setTime} placeholder="now" />
      </Columns>
      <Small>
        Who is here in person today goes through check-in. Everything else is over and is only written up, at most a
        year back.
      </Small>
      <Refused />
      <Row>
        <Spread />
        <Button onPress={onClose}>Leave</Button>
        <Button $kind="filled" type="submit" isDisabled={busy || !who}>
          {kind === 'in_person' && !date ? 'They are here' : 'Write it up'}
        </Button>
      </Row>
    </Form>
  );
}

export function Unbooked({ person, onClose }: { person?: Card; onClose: () => void }) {
  return (
    <Dialog kept title="Visit without an appointment" open onClose={onClose}>
      <Stack $gap={4}>
        <ForPerson place={person ? `unbooked/${person.id}` : 'unbooked'} {...(person ? { person } : {})}>
          {(found) => <Begin person={found} onClose={onClose} />}
        </ForPerson>
      </Stack>
    </Dialog>
  );
}
