import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { telephone, useTimes } from '../../app/words';
import { Faults, Refused } from '../../ui/Form';
import { Button, Field } from '../../ui/controls';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { contact } from '../people/queries';

/** How the person is reached: asked on the way, confirmed in one press or corrected on the spot. */
export function Contact({ person }: { person: Schemas['PersonCard'] }) {
  const times = useTimes();
  const look = useLook(contact(person.id));
  const [editing, setEditing] = useState<{ phone: string; email: string } | null>(null);
  const { run, busy, refusal } = useDo();
  const confirm = async (phone: string, email: string) => {
    const body = { phone, email };
    if (await run(() => api.POST('/api/people/{id}/contact', { params: { path: { id: person.id } }, body })))
      setEditing(null);
  };
  const c = look.data;
  if (!c) return null;
  if (editing)
    return (
      <Faults refusal={refusal}>
        <Stack $gap={2}>
          <Columns $min={part.wideField}>
            <Field
              name="phone"
              label="Telephone"
              value={editing.phone}
              onChange={(phone) => setEditing({ ...editing, phone })}
              autoFocus
            />
            <Field
              name="email"
              label="E-mail"
              value={editing.email}
              onChange={(email) => setEditing({ ...editing, email })}
            />
          </Columns>
          <Refused />
          <Row>
            <Spread />
            <Button onPress={() => setEditing(null)}>Leave it</Button>
            <Button isDisabled={busy} onPress={() => void confirm(editing.phone, editing.email)}>
              Save the contact
            </Button>
          </Row>
        </Stack>
      </Faults>
    );
  return (
    <Row $gap={2}>
      <Small>
        {telephone(c.phone) || 'no telephone'}, {c.email ?? 'no e-mail'}
        <br />
        {c.confirmedAt ? `confirmed ${times.full(c.confirmedAt)}` : 'never confirmed'}
      </Small>
      <Spread />
      <Button $kind="quiet" onPress={() => setEditing({ phone: telephone(c.phone), email: c.email ?? '' })}>
        Correct
      </Button>
      <Button isDisabled={busy} onPress={() => void confirm(c.phone ?? '', c.email ?? '')}>
        Still right
      </Button>
    </Row>
  );
}
