/** The people who work here: who signs in as what, where, and how screens and sign-ins are kept. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part, space } from '../../ui/tokens';
import { SessionTable } from './Me';
import { StandIn } from './StandIn';
import { staff } from './queries';
import { useWords } from '../../app/choices';

type Row_ = Schemas['StaffRow'];

/** The link by which somebody sets their password, shown once. */
function PasswordLink({ row }: { row: Row_ }) {
  const [link, setLink] = useState<Schemas['LinkView'] | null>(null);
  const times = useTimes();
  const { run, busy, refusal } = useDo();
  const make = async () => {
    const params = { path: { id: row.staff.id } };
    const made = await run(() => api.POST('/api/staff/{id}/password-link', { params }));
    if (made) setLink(made);
  };
  return (
    <Stack $gap={2}>
      <Row>
        <Small>
          {row.invited
            ? 'No password is set yet.'
            : 'A forgotten password is set anew by a link; the second factor goes with it.'}
        </Small>
        <Spread />
        <Button onPress={() => void make()} isDisabled={busy}>
          Make a password link
        </Button>
      </Row>
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      {link && (
        <Notice $tone="brass" role="alert">
          <Stack $gap={1}>
            <strong>
              Hand this over yourself. It is shown only now, serves once, and ends {times.full(link.endsAt)} at{' '}
              {times.time(link.endsAt)}.
            </strong>
            <Mono data-link style={{ overflowWrap: 'anywhere' }}>
              {window.location.origin + link.path}
            </Mono>
          </Stack>
        </Notice>
      )}
    </Stack>
  );
}

function Person({ row, onClose }: { row: Row_ | null; onClose: () => void }) {
  const roles = useWords('roles');
  const { clinic, me } = useSession();
  const s = row?.staff;
  const [login, setLogin] = useState(s?.login ?? '');
  const [firstName, setFirst] = useState(s?.firstName ?? '');
  const [lastName, setLast] = useState(s?.lastName ?? '');
  const [name, setName] = useState(s?.name ?? '');
  const [role, setRole] = useState<string>(s?.role ?? 'front_desk');
  const [siteIds, setSites] = useState<string[]>(row?.siteIds ?? []);
  const [npi, setNpi] = useState(s?.npi ?? '');
  const [dea, setDea] = useState(s?.dea ?? '');
  const [taxonomy, setTaxonomy] = useState(s?.taxonomy ?? '');
  const { run, busy, refusal } = useDo();
  const save = async (active: boolean) => {
    const body = { login, firstName, lastName, name, role, siteIds, active, npi, dea, taxonomy };
    const done = s
      ? await run(() => api.PUT('/api/staff/{id}', { params: { path: { id: s.id } }, body }))
      : await run(() => api.POST('/api/staff', { body }));
    if (done) onClose();
  };
  const site = (id: string, on: boolean) => setSites(on ? [...siteIds, id] : siteIds.filter((x) => x !== id));
  return (
    <Dialog title={s ? s.name : 'Somebody new'} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void save(s?.active ?? true)}>
        <Columns $min={part.field}>
          <Field name="firstName" label="First name" value={firstName} onChange={setFirst} autoFocus />
          <Field name="lastName" label="Last name" value={lastName} onChange={setLast} />
          <Field
            label="Name as everybody reads it"
            name="shown"
            value={name}
            onChange={setName}
            placeholder="first and last name"
          />
          <Field name="login" label="Sign-in name" value={login} onChange={setLogin} />
        </Columns>
        <Choose name="role" label="Role" value={role} onChange={setRole} choices={roles} />
        {role === 'clinician' && (
          <Columns $min={part.field}>
            <Field name="npi" label="Provider number (NPI)" value={npi} onChange={setNpi} />
            <Field
              name="taxonomy"
              label="Taxonomy code"
              hint="Ten letters and digits; payers know the specialty by it."
              value={taxonomy}
              onChange={setTaxonomy}
            />
            <Field
              name="dea"
              label="DEA number"
              hint="Only for who prescribes controlled substances."
              value={dea}
              onChange={setDea}
            />
          </Columns>
        )}
        <Stack $gap={1}>
          <Small>Works at; none chosen: everywhere</Small>
          {clinic.sites.map((x) => (
            <Check key={x.id} label={x.name} value={siteIds.includes(x.id)} onChange={(on) => site(x.id, on)} />
          ))}
        </Stack>
        {row && <PasswordLink row={row} />}
        {row && row.sessions.length > 0 && (
          <Stack $gap={1}>
            <Small>Signed in at</Small>
            <SessionTable
              rows={row.sessions.map((session) => ({ session, own: false }))}
              onEnd={(id) => void run(() => api.DELETE('/api/staff/sessions/{id}', { params: { path: { id } } }))}
            />
          </Stack>
        )}
        <Refused />
        <Row>
          {s && s.id !== me.staff.id && (
            <Button onPress={() => void save(!s.active)} isDisabled={busy}>
              {s.active ? 'Deactivate: no sign-in from now on' : 'Activate again'}
            </Button>
          )}
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            {s ? 'Save' : 'Add'}
          </Button>
        </Row>
      </Form>
      {s && s.role === 'clinician' && (
        <Stack $gap={2} style={{ marginTop: space(4) }}>
          <h3>Results while they are away</h3>
          <StandIn staff={s.id} />
        </Stack>
      )}
    </Dialog>
  );
}

function Doors() {
  const roles = useWords('roles');
  const { clinic } = useSession();
  const [minutes, setMinutes] = useState(String(clinic.lockMinutes));
  const [wanted, setWanted] = useState<string[]>(clinic.secondFactorRoles);
  const { run, busy, refusal } = useDo();
  const [done, setDone] = useState(false);
  const save = async () => {
    const body = { lockMinutes: Number(minutes) || 0, secondFactorRoles: wanted };
    setDone(Boolean(await run(() => api.PUT('/api/settings/doors', { body }))));
  };
  return (
    <Sheet>
      <h2>Screens and sign-ins</h2>
      <Form refusal={refusal} onSave={() => void save()}>
        <div style={{ maxWidth: part.list }}>
          <Field
            name="lockMinutes"
            label="A screen that nobody touches locks after, in minutes"
            value={minutes}
            onChange={setMinutes}
          />
        </div>
        <Stack $gap={1}>
          <Small>These roles sign in with a second factor</Small>
          {roles.map((r) => (
            <Check
              key={r.id}
              label={r.label}
              value={wanted.includes(r.id)}
              onChange={(on) => setWanted(on ? [...wanted, r.id] : wanted.filter((x) => x !== r.id))}
            />
          ))}
        </Stack>
        <Row>
          {done && <Small>Saved; it holds at once.</Small>}
          <Spread />
          <Button type="submit" isDisabled={busy}>
            Save
          </Button>
        </Row>
        <Refused />
      </Form>
    </Sheet>
  );
}

export function Staff() {
  const { clinic } = useSession();
  const look = useLook(staff());
  const [open, setOpen] = useState<string | 'new' | null>(null);
  const rows = look.data ?? [];
  const chosen = rows.find((r) => r.staff.id === open) ?? null;
  const where = (r: Row_) =>
    r.siteIds.length === 0
      ? 'everywhere'
      : r.siteIds.map((id) => clinic.sites.find((s) => s.id === id)?.name ?? '').join(', ');
  return (
    <>
      <Sheet>
        <Row>
          <h2>People who work here</h2>
          <Spread />
          <Button onPress={() => setOpen('new')}>Add somebody</Button>
        </Row>
        <Scroller>
          <Table data-staff>
            <thead>
              <tr>
                <th>Name</th>
                <th>Signs in as</th>
                <th>Role</th>
                <th>Works at</th>
                <th>Sign-in</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.staff.id}>
                  <td>{r.staff.name}</td>
                  <td>
                    <Mono>{r.staff.login}</Mono>
                  </td>
                  <td>{r.roleLabel}</td>
                  <td>{where(r)}</td>
                  <td>
                    {!r.staff.active && <Tag $tone="coral">deactivated</Tag>}
                    {r.staff.active && r.invited && <Tag $tone="brass">no password yet</Tag>}
                    {r.secondFactor && <Tag $tone="kelp">second factor</Tag>}{' '}
                    {r.sessions.length > 0 && (
                      <Small>signed in {r.sessions.length === 1 ? 'now' : `at ${r.sessions.length} places`}</Small>
                    )}
                  </td>
                  <td style={{ textAlign: 'right' }}>
                    <Button $kind="quiet" onPress={() => setOpen(r.staff.id)} aria-label={`Change ${r.staff.name}`}>
                      Change
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      </Sheet>
      <Doors />
      {open === 'new' && <Person row={null} onClose={() => setOpen(null)} />}
      {chosen && <Person key={chosen.staff.id} row={chosen} onClose={() => setOpen(null)} />}
    </>
  );
}
