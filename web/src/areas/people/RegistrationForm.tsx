import { useEffect, useRef, useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { useSession } from '../../app/session';
import { plainDate, telephone } from '../../app/words';
import { Faults } from '../../ui/Form';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Columns, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Address } from './Address';
import { Consents } from './Consents';
import { names, type TextField } from './form';
import { Household } from './Household';
import { Section } from './Section';
import { useRegistration } from './useRegistration';
import { person } from './queries';

type View = Schemas['PersonView'];

/** Others of the household at the old address are asked about by name. */
function MovedAlong({ view, onDone }: { view: View; onDone: () => void }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const { run, busy, refusal } = useDo();
  const others = view.household.filter((m) => !m.sameAddress && m.linked);
  if (others.length === 0) return null;
  const move = async () => {
    const params = { path: { id: view.person.id } };
    const done = await run(() => api.POST('/api/people/{id}/moved-along', { params, body: { people: chosen } }));
    if (done) onDone();
  };
  return (
    <Notice $tone="tide" role="status">
      <Stack $gap={2}>
        <strong>Who moved along?</strong>
        <Row>
          {others.map((m) => (
            <Check
              key={m.person.id}
              label={m.person.name}
              value={chosen.includes(m.person.id)}
              onChange={(on) => setChosen((all) => (on ? [...all, m.person.id] : all.filter((x) => x !== m.person.id)))}
            />
          ))}
        </Row>
        {refusal && <span>{refusal.message}</span>}
        <Row>
          <Button onPress={() => void move()} isDisabled={busy || chosen.length === 0}>
            Give them the new address
          </Button>
          <Button $kind="quiet" onPress={onDone}>
            Nobody
          </Button>
        </Row>
      </Stack>
    </Notice>
  );
}

/** A value as the question about it tells it. */
const said = (value: unknown) => (value === true ? 'yes' : value === false ? 'no' : String(value ?? ''));

/** The whole registration: parts that say what they lack and save as one goes. */
export function RegistrationForm({ id, brief, focus }: { id: string; brief?: boolean; focus?: boolean }) {
  const look = useLook(person(id));
  return look.data ? <Form view={look.data} brief={brief ?? false} focus={focus ?? false} /> : null;
}

function Form({ view, brief, focus }: { view: View; brief: boolean; focus: boolean }) {
  const box = useRef<HTMLFormElement>(null);
  useEffect(() => {
    if (focus) box.current?.querySelector<HTMLElement>('[data-section] input')?.focus();
  }, [focus]);
  const { clinic } = useSession();
  const sexes = useWords('sexes');
  const maritalStates = useWords('maritalStates');
  const races = useWords('races');
  const ethnicities = useWords('ethnicities');
  const r = useRegistration(view);
  const { form, refusal } = r;
  const [moved, setMoved] = useState(false);
  const oldAddress = useRef(view.person.addressLine);
  // What had gaps at the beginning stays open while it is filled.
  const [opened] = useState(() => view.sections.filter((s) => s.gaps.length > 0).map((s) => s.code));
  const leave = () => {
    if (!r.dirty) return;
    const address = form.addressLine ?? '';
    void r.flush().then((done) => {
      if (done && oldAddress.current && address !== oldAddress.current) setMoved(true);
      if (done) oldAddress.current = address;
    });
  };
  const field = (name: TextField, label: string, placeholder = '') => (
    <Field
      label={label}
      name={name}
      value={String(form[name] ?? '')}
      onChange={r.text(name)}
      placeholder={placeholder}
    />
  );
  const pick = (name: TextField, label: string, choices: { id: string; label: string }[]) => (
    <Pick
      name={name}
      label={label}
      choices={choices}
      value={String(form[name] ?? '') || null}
      onChange={r.text(name)}
    />
  );
  const pickId = (
    name: 'usualClinicianId' | 'usualSiteId' | 'pharmacyId',
    label: string,
    list: { id: string; name: string }[],
  ) => (
    <Pick
      label={label}
      choices={list.map((x) => ({ id: x.id, label: x.name }))}
      value={form[name] ?? null}
      onChange={(value) => r.change({ [name]: value })}
    />
  );
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  const contents: Record<string, [string, React.ReactNode]> = {
    identity: [
      [form.preferredName && `called ${form.preferredName}`, plainDate(view.person.birthDate)]
        .filter(Boolean)
        .join(' · '),
      <Stack key="identity">
        <Columns $min={part.wideField}>
          {field('firstName', 'First name')}
          {field('middleName', 'Middle name')}
          {field('lastName', 'Last name')}
          {field('preferredName', 'Preferred name')}
          {field('formerName', 'Former name')}
          {field('birthDate', 'Birth date', '3/4/62')}
          {field('genderIdentity', 'Gender identity')}
          {field('pronouns', 'Pronouns')}
        </Columns>
        <Choose name="sex" label="Sex" value={form.sex ?? ''} onChange={r.text('sex')} choices={sexes} />
      </Stack>,
    ],
    contact: [
      [view.card.address, telephone(view.person.phone)].filter(Boolean).join(' · '),
      <Stack key="contact" $gap={4}>
        <Address registering={r} />
        <Columns $min={part.wideField}>
          {field('phone', 'Mobile telephone')}
          {field('otherPhone', 'Other telephone')}
          <Field
            label="E-mail"
            name="email"
            value={String(form.email ?? '')}
            // An address that is given was not declined.
            onChange={(email) => r.change({ email, ...(email.trim() !== '' && { emailDeclined: false }) })}
          />
        </Columns>
        <Check
          label="E-mail declined"
          value={form.emailDeclined ?? false}
          onChange={(v) => r.change({ emailDeclined: v, ...(v && { email: '' }) })}
        />
        <Columns $min={part.wideField}>
          {field('emergencyName', 'Emergency contact')}
          {field('emergencyPhone', 'Emergency telephone')}
          {field('emergencyRelation', 'Relation to the patient')}
        </Columns>
      </Stack>,
    ],
    responsible: [
      [view.responsible?.name ?? 'answers for themselves', `${view.household.length} of the household`].join(' · '),
      <Household key="responsible" view={view} registering={r} />,
    ],
    consents: [
      `${view.consents.length} answers recorded`,
      <Consents key="consents" person={view.person.id} consents={view.consents} />,
    ],
    about: [
      [form.language, form.occupation, form.employer].filter(Boolean).join(' · '),
      <Stack key="about">
        <Columns $min={part.wideField}>
          {field('language', 'Language', 'English')}
          {pick('maritalStatus', 'Marital status', maritalStates)}
          {pick('race', 'Race', races)}
          {pick('ethnicity', 'Ethnicity', ethnicities)}
          {field('occupation', 'Occupation')}
          {field('employer', 'Employer')}
          {field('deceasedOn', 'Deceased on', 'only when the person died')}
        </Columns>
        <Check
          label="Needs an interpreter"
          value={form.interpreter ?? false}
          onChange={(v) => r.change({ interpreter: v })}
        />
      </Stack>,
    ],
    clinic: [
      [clinicians.find((c) => c.id === form.usualClinicianId)?.name, form.heardFrom].filter(Boolean).join(' · '),
      <Stack key="clinic">
        <Columns $min={part.wideField}>
          {pickId('usualClinicianId', 'Usual clinician', clinicians)}
          {pickId('usualSiteId', 'Usual site', clinic.sites)}
          {pickId('pharmacyId', 'Preferred pharmacy', clinic.pharmacies)}
          {field('outsideClinician', 'Primary-care clinician elsewhere')}
          {field('referredBy', 'Referred by', 'self, or a name')}
          {field('heardFrom', 'Heard of the clinic from')}
          {field('outsideId', 'Id in another system')}
        </Columns>
        {field('chartAlert', 'Chart alert')}
        {field('billingNote', 'Billing note')}
      </Stack>,
    ],
  };
  const shown = brief
    ? // Check-in has a step of its own for consents.
      view.sections.filter((s) => s.code !== 'consents' && (opened.includes(s.code) || s.code === 'contact'))
    : view.sections;
  return (
    <form
      ref={box}
      onSubmit={(event) => {
        event.preventDefault();
        leave();
      }}
    >
      <Faults refusal={refusal}>
        {shown.map((section) => {
          const [summary, content] = contents[section.code] ?? ['', null];
          return (
            <Section
              key={section.code}
              section={section}
              summary={summary}
              open={opened.includes(section.code)}
              onLeave={leave}
            >
              {content}
            </Section>
          );
        })}
      </Faults>
      {moved && <MovedAlong view={view} onDone={() => setMoved(false)} />}
      {r.clashes.length > 0 && (
        <Notice $tone="brass" role="alert">
          <Stack>
            <strong>Somebody else changed the same in the meantime. What you typed is still here.</strong>
            {r.clashes.map((c) => (
              <span key={c.field}>
                {names[c.field] ?? c.field}: theirs “{said(c.theirs)}”, yours “{said(c.mine)}”
              </span>
            ))}
            <Row>
              <Button onPress={() => r.decide('theirs')}>Take theirs</Button>
              <Button onPress={() => r.decide('mine')}>Keep mine</Button>
            </Row>
          </Stack>
        </Notice>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.problem.fields.length > 0
            ? `Not saved: ${refusal.problem.fields.map((f) => f.sentence).join(' ')}`
            : refusal.message}
        </Notice>
      )}
      <Row>
        <Small role="status">{r.busy ? 'saving' : r.dirty ? 'not saved yet' : 'all saved'}</Small>
        <Spread />
        <Button type="submit" isDisabled={!r.dirty}>
          Save details
        </Button>
      </Row>
    </form>
  );
}
