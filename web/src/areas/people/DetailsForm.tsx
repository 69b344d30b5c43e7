/** The registration form, filled from the record; a save over somebody else's shows what changed and loses nothing. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { plainDate, useTimes } from '../../app/words';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Columns, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { FindPerson } from './FindPerson';
import { filled, type PersonForm, sexes } from './form';
import { part } from '../../ui/tokens';

type Person = Schemas['Person'];

const names: Partial<Record<keyof PersonForm, string>> = {
  firstName: 'First name',
  lastName: 'Last name',
  birthDate: 'Birth date',
  sex: 'Sex',
  phone: 'Telephone',
  email: 'E-mail',
  addressLine: 'Address',
  city: 'Town',
  state: 'State',
  postalCode: 'Postal code',
  preferredName: 'Preferred name',
  chartAlert: 'Chart alert',
};

export function DetailsForm(p: { person: Person; responsible?: Schemas['PersonCard'] | null; onSaved?: () => void }) {
  const { person } = p;
  const [form, setForm] = useState<PersonForm>(filled(person));
  const [finding, setFinding] = useState(false);
  const [responsible, setResponsible] = useState(p.responsible ?? null);
  const { run, busy, refusal } = useDo();
  const times = useTimes();
  const set = (field: keyof PersonForm) => (value: string) => setForm((f) => ({ ...f, [field]: value }));
  const current = refusal?.is('stale') ? (refusal.problem.current as unknown as Person) : null;
  const theirs = current ? filled(current) : null;
  const differing = theirs ? (Object.keys(names) as (keyof PersonForm)[]).filter((k) => theirs[k] !== form[k]) : [];
  const save = async (version: number) => {
    const saved = await run(() =>
      api.PUT('/api/people/{id}', { params: { path: { id: person.id } }, body: { ...form, version } }),
    );
    if (saved) {
      setForm(filled(saved));
      p.onSaved?.();
    }
  };
  const notice = () =>
    void run(() => api.POST('/api/people/{id}/privacy-notice', { params: { path: { id: person.id } } }));
  const field = (name: keyof PersonForm, label: string, placeholder = '') => (
    <Field
      label={label}
      name={name}
      value={String(form[name] ?? '')}
      onChange={set(name)}
      fault={refusal?.fault(name)}
      placeholder={placeholder}
    />
  );
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void save(form.version);
      }}
    >
      <Stack $gap={4}>
        <Columns $min={part.wideField}>
          {field('firstName', 'First name')}
          {field('lastName', 'Last name')}
          {field('preferredName', 'Preferred name')}
          {field('birthDate', 'Birth date', '3/4/62')}
          {field('phone', 'Mobile telephone')}
          {field('email', 'E-mail')}
        </Columns>
        <Row $gap={6}>
          <Choose label="Sex" value={form.sex} onChange={set('sex')} choices={sexes} fault={refusal?.fault('sex')} />
          <Check
            label="E-mail declined"
            value={form.emailDeclined}
            onChange={(v) => setForm((f) => ({ ...f, emailDeclined: v }))}
          />
        </Row>
        <Columns $min={part.field}>
          {field('addressLine', 'Address')}
          {field('city', 'Town')}
          {field('state', 'State', 'ME')}
          {field('postalCode', 'Postal code', '04998')}
        </Columns>
        <Row>
          <span>
            Responsible party: <strong>{responsible?.name ?? 'the patient'}</strong>
          </span>
          <Button onPress={() => setFinding(!finding)}>Change</Button>
          {responsible && (
            <Button
              onPress={() => {
                setResponsible(null);
                setForm((f) => ({ ...f, responsibleId: null }));
              }}
            >
              The patient
            </Button>
          )}
          <Spread />
          {person.privacyNoticeAt ? (
            <Small>Privacy notice given {times.full(person.privacyNoticeAt)}</Small>
          ) : (
            <Button onPress={notice} isDisabled={busy}>
              Privacy notice given
            </Button>
          )}
        </Row>
        {finding && (
          <FindPerson
            label="Find the responsible party"
            onTake={(found) => {
              setResponsible(found);
              setForm((f) => ({ ...f, responsibleId: found.id }));
              setFinding(false);
            }}
          />
        )}
        {field('chartAlert', 'Chart alert')}
        {theirs && current && (
          <Notice $tone="brass" role="alert">
            <Stack>
              <strong>Somebody else saved this record in the meantime. What you typed is still here.</strong>
              {differing.map((k) => (
                <span key={k}>
                  {names[k]}: theirs “{k === 'birthDate' ? plainDate(String(theirs[k])) : String(theirs[k] ?? '')}”,
                  yours “{String(form[k] ?? '')}”
                </span>
              ))}
              <Row>
                <Button onPress={() => setForm(theirs)}>Take theirs</Button>
                <Button onPress={() => void save(current.version)}>Save mine over it</Button>
              </Row>
            </Stack>
          </Notice>
        )}
        {refusal && !theirs && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        <Row>
          <Spread />
          <Button type="submit" isDisabled={busy}>
            Save details
          </Button>
        </Row>
      </Stack>
    </form>
  );
}
