/** One's own sign-in: password, second factor, and where one is signed in. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Head, Mono, Notice, Page, Row, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part, space } from '../../ui/tokens';
import { StandIn } from './StandIn';
import { ownSessions } from './queries';

/** A browser and a system in words, from what it calls itself. */
export function machineWords(agent: string): string {
  const browser = /Firefox/.exec(agent) ?? /Edg/.exec(agent) ?? /Chrom/.exec(agent) ?? /Safari/.exec(agent);
  const names: Record<string, string> = { Edg: 'Edge', Chrom: 'Chrome or the like' };
  const system = /Windows|Mac OS|Android|iPhone|Linux/.exec(agent)?.[0] ?? '';
  const name = browser ? (names[browser[0]] ?? browser[0]) : 'another program';
  return system ? `${name}, ${system}` : name;
}

function Password() {
  const [oldPassword, setOld] = useState('');
  const [password, setNew] = useState('');
  const [done, setDone] = useState(false);
  const { run, busy, refusal } = useDo();
  const change = async () => {
    if (!(await run(() => api.POST('/api/me/password', { body: { oldPassword, password } })))) return;
    setDone(true);
    setOld('');
    setNew('');
  };
  return (
    <Sheet>
      <h2>Password</h2>
      <div style={{ maxWidth: part.list }}>
        <Form refusal={refusal} onSave={change}>
          <Stack style={{ marginTop: space(3) }}>
            <Field label="Password now" type="password" name="oldPassword" value={oldPassword} onChange={setOld} />
            <Field
              label="New password"
              type="password"
              name="password"
              value={password}
              onChange={(text) => {
                setNew(text);
                setDone(false);
              }}
            />
            <Small>At least ten signs; several words that do not belong together make a good one.</Small>
            <Refused />
            {done && (
              <Notice $tone="kelp">The password is changed. Where else you were signed in, you are no longer.</Notice>
            )}
            <Row>
              <Spread />
              <Button type="submit" isDisabled={busy || password === ''}>
                Change the password
              </Button>
            </Row>
          </Stack>
        </Form>
      </div>
    </Sheet>
  );
}

/** Sets the second factor up, or takes it away. */
function SecondFactor({ has, onChange }: { has: boolean; onChange: (has: boolean) => void }) {
  const [fresh, setFresh] = useState<Schemas['NewFactor'] | null>(null);
  const [codes, setCodes] = useState<string[] | null>(null);
  const [code, setCode] = useState('');
  const [password, setPassword] = useState('');
  const [removing, setRemoving] = useState(false);
  const { run, busy, refusal } = useDo();
  const begin = async () => {
    const found = await run(() => api.POST('/api/me/second-factor/new'));
    if (found) setFresh(found);
  };
  const keep = async () => {
    if (!fresh) return;
    const kept = await run(() => api.POST('/api/me/second-factor', { body: { secret: fresh.secret, code, password } }));
    if (!kept) return;
    setCodes(kept.codes);
    setFresh(null);
    setCode('');
    setPassword('');
    onChange(true);
  };
  const remove = async () => {
    if (!(await run(() => api.POST('/api/me/second-factor/remove', { body: { password } })))) return;
    setRemoving(false);
    setPassword('');
    onChange(false);
  };
  const ownPassword = (
    <Field label="Your password" type="password" name="oldPassword" value={password} onChange={setPassword} />
  );
  return (
    <Sheet data-second-factor={has ? 'on' : 'off'}>
      <Row>
        <h2>Second factor</h2>
        {has ? <Tag $tone="kelp">✓ set up</Tag> : <Tag>none</Tag>}
        <Spread />
        {!has && !fresh && <Button onPress={() => void begin()}>Set up</Button>}
        {has && !removing && <Button onPress={() => setRemoving(true)}>Take away</Button>}
      </Row>
      <Small>
        A code from a device of yours, besides the password. Whoever learns your password alone stays outside.
      </Small>
      {codes && (
        <Notice $tone="brass" role="alert">
          <Stack $gap={2}>
            <strong>Recovery codes, shown only now. Each opens once, when the device is lost.</strong>
            <Mono>{codes.join('  ')}</Mono>
          </Stack>
        </Notice>
      )}
      {fresh && (
        <div style={{ maxWidth: part.list, marginTop: space(3) }}>
          <Form refusal={refusal} onSave={keep}>
            <Stack>
              <span>Scan this with an app for one-time codes, or type the secret into it.</span>
              <img src={fresh.picture} alt="The secret as a QR code" width={180} height={180} />
              {/* In fours, for typing. */}
              <Mono data-secret>{fresh.secret.match(/.{1,4}/g)?.join(' ')}</Mono>
              <Field label="Code that the device shows" name="code" value={code} onChange={setCode} />
              {ownPassword}
              <Refused />
              <Row>
                <Spread />
                <Button type="submit" isDisabled={busy}>
                  Keep it
                </Button>
              </Row>
            </Stack>
          </Form>
        </div>
      )}
      {removing && (
        <div style={{ maxWidth: part.list, marginTop: space(3) }}>
          <Form refusal={refusal} onSave={remove}>
            <Stack>
              {ownPassword}
              <Refused />
              <Row>
                <Spread />
                <Button type="submit" isDisabled={busy}>
                  Go without a second factor
                </Button>
              </Row>
            </Stack>
          </Form>
        </div>
      )}
    </Sheet>
  );
}

/** Where somebody is signed in, each with the way to end it. */
export function SessionTable(p: {
  rows: { session: Schemas['OpenSession']; own: boolean }[];
  onEnd: (id: string) => void;
}) {
  const times = useTimes();
  return (
    <Table data-sessions>
      <tbody>
        {p.rows.map(({ session, own }) => (
          <tr key={session.id}>
            <td>
              {machineWords(session.agent)} {own && <Tag $tone="kelp">this one</Tag>}
              {session.locked && <Tag>locked</Tag>}
            </td>
            <td>
              <Mono>{session.machine}</Mono>
            </td>
            <td>
              <Small>
                since {times.full(session.createdAt)} {times.time(session.createdAt)}
              </Small>
            </td>
            <td style={{ textAlign: 'right' }}>
              {!own && (
                <Button onPress={() => p.onEnd(session.id)} aria-label={`End the session at ${session.machine}`}>
                  End
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

export default function MePage() {
  const { me } = useSession();
  const may = useMay();
  const [has, setHas] = useState(me.secondFactor);
  const { run } = useDo();
  const look = useLook(ownSessions());
  return (
    <Page>
      <Head>
        <h1>My sign-in</h1>
        <p>
          {me.staff.name}, {me.roleLabel}, signs in as <Mono>{me.staff.login}</Mono>
        </p>
      </Head>
      {me.secondFactorWanted && !has && (
        <Notice $tone="brass">Your role signs in with a second factor. Set it up to go on.</Notice>
      )}
      {me.secondFactorWanted && has && (
        <Notice $tone="kelp">
          <Row>
            <span>It is set up.</span>
            <Spread />
            <Button $kind="filled" onPress={() => window.location.assign('/today')}>
              Go on
            </Button>
          </Row>
        </Notice>
      )}
      <SecondFactor has={has} onChange={setHas} />
      {may('review_results') && (
        <Sheet>
          <h2>While I am away</h2>
          <StandIn staff={me.staff.id} />
        </Sheet>
      )}
      <Password />
      <Sheet>
        <h2>Where I am signed in</h2>
        <Small>
          A screen that nobody touches locks after {me.lockMinutes} minutes; every sign-in ends after twelve hours.
        </Small>
        <SessionTable
          rows={look.data ?? []}
          onEnd={(id) => void run(() => api.DELETE('/api/me/sessions/{id}', { params: { path: { id } } }))}
        />
      </Sheet>
    </Page>
  );
}
