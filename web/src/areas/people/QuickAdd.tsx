import { useState } from 'react';
import { Form, Refused } from '../../ui/Form';
import { api, type Schemas, useDo } from '../../api/client';
import { forget, useKept } from '../../app/kept';
import { useWords } from '../../app/choices';
import { Button, Choose, Field } from '../../ui/controls';
import { Columns, Row, Spread } from '../../ui/layout';
import { emptyForm, type PersonForm } from './form';
import { Twins, twinsOf } from './Twins';
import { part } from '../../ui/tokens';

type Card = Schemas['PersonCard'];

/** Takes only a name, and whatever else is known; the gaps become blockers at check-in. */
export function QuickAdd(p: { typed: string; onDone: (person: Card) => void; onBack: () => void }) {
  const words = p.typed
    .replace(/[^\p{L}\p{M}' -]/gu, ' ')
    .trim()
    .split(/\s+/);
  const capital = (w: string | undefined) => (w ? w.charAt(0).toUpperCase() + w.slice(1) : '');
  const place = `new/${p.typed}`;
  const [form, setForm] = useKept<PersonForm>(place, 'form', {
    ...emptyForm,
    firstName: capital(words[0]),
    lastName: words.slice(1).map(capital).join(' '),
  });
  const { run, busy, refusal } = useDo();
  // Both names came with the search: the next thing asked is the birth date.
  const [named] = useState(() => Boolean(form.firstName && form.lastName));
  const sexes = useWords('sexes');
  const set = (field: keyof PersonForm) => (value: string) => setForm({ ...form, [field]: value });
  const save = async (notATwin: boolean) => {
    const person = await run(() => api.POST('/api/people', { body: { ...form, notATwin } }));
    if (person) {
      forget(place);
      const found = await api.GET('/api/people/{id}', { params: { path: { id: person.id } } });
      if (found.data) p.onDone(found.data.card);
    }
  };
  const twins = twinsOf(refusal);
  return (
    <Form refusal={refusal} onSave={() => void save(false)}>
      <Columns $min={part.wideField}>
        <Field
          name="firstName"
          label="First name"
          value={form.firstName ?? ''}
          onChange={set('firstName')}
          autoFocus={!named}
        />
        <Field name="lastName" label="Last name" value={form.lastName ?? ''} onChange={set('lastName')} />
        <Field
          name="birthDate"
          label="Birth date"
          value={form.birthDate ?? ''}
          onChange={set('birthDate')}
          autoFocus={named}
          placeholder="3/4/62"
        />
        <Field name="phone" label="Mobile telephone" value={form.phone ?? ''} onChange={set('phone')} />
      </Columns>
      <Choose label="Sex" value={form.sex ?? ''} onChange={set('sex')} choices={sexes} name="sex" />
      <Twins twins={twins} onTake={p.onDone} onAdd={() => void save(true)} />
      {twins.length === 0 && <Refused />}
      <Row>
        <Spread />
        <Button onPress={p.onBack}>Back to the search</Button>
        <Button $kind="filled" type="submit" isDisabled={busy}>
          Add
        </Button>
      </Row>
    </Form>
  );
}
