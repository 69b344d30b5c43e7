import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { Faults, Refused } from '../../ui/Form';
import { Button, Choose, Field } from '../../ui/controls';
import { Columns, Row, Small, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { emptyForm } from './form';
import { Twins, twinsOf } from './Twins';

const purpose = {
  Party: 'Registered only to answer for somebody; not a patient here.',
  Policyholder: 'Registered only to hold a policy; not a patient here. The payer compares name and birth date.',
};

/** Somebody who is no patient here, created on the spot. */
export function NewParty(p: {
  as: 'Party' | 'Policyholder';
  typed: string;
  onMade: (person: Schemas['Person']) => void;
  onBack: () => void;
}) {
  const words = p.typed.trim().split(/\s+/);
  const [first, setFirst] = useState(words[0] ?? '');
  const [last, setLast] = useState(words.slice(1).join(' '));
  const [phone, setPhone] = useState('');
  const [birthDate, setBirthDate] = useState('');
  const [sex, setSex] = useState('');
  const { run, busy, refusal } = useDo();
  const sexes = useWords('sexes');
  const holder = p.as === 'Policyholder';
  const make = async (notATwin: boolean) => {
    const form = { ...emptyForm, firstName: first, lastName: last, phone, birthDate, sex };
    const made = await run(() => api.POST('/api/people', { body: { ...form, noPatient: true, notATwin } }));
    if (made) p.onMade(made);
  };
  const twins = twinsOf(refusal);
  const take = async (card: Schemas['PersonCard']) => {
    const known = await run(() => api.GET('/api/people/{id}', { params: { path: { id: card.id } } }));
    if (known) p.onMade(known.person);
  };
  const field = (label: string, value: string, change: (v: string) => void, name: string) => (
    <Field name={name} label={`${p.as}’s ${label}`} value={value} onChange={change} />
  );
  return (
    <Faults refusal={refusal}>
      <Stack>
        <Small>{purpose[p.as]}</Small>
        <Columns $min={part.field}>
          <Field name="firstName" label={`${p.as}’s first name`} value={first} onChange={setFirst} autoFocus />
          {field('last name', last, setLast, 'lastName')}
          {holder && field('birth date', birthDate, setBirthDate, 'birthDate')}
          {field('telephone', phone, setPhone, 'phone')}
        </Columns>
        {holder && <Choose name="sex" label="Policyholder’s sex" value={sex} onChange={setSex} choices={sexes} />}
        <Twins twins={twins} onTake={(card) => void take(card)} onAdd={() => void make(true)} />
        {twins.length === 0 && <Refused />}
        <Row>
          <Button onPress={p.onBack}>Back to the search</Button>
          <Button onPress={() => void make(false)} isDisabled={busy}>
            Add and choose
          </Button>
        </Row>
      </Stack>
    </Faults>
  );
}
