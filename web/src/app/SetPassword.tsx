import { Form } from '../ui/Form';
import { useEffect, useState } from 'react';
import { api, type Schemas, useDo } from '../api/client';
import { Button, Field } from '../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../ui/layout';
import { space } from '../ui/tokens';
import { DoorPage } from './SignIn';

/** Sets a password by the link that a manager handed over; it serves once. */
export function SetPassword() {
  const [token] = useState(() => window.location.hash.slice(1));
  const [owner, setOwner] = useState<Schemas['LinkOwner'] | null>(null);
  const [password, setPassword] = useState('');
  const { run, busy, refusal } = useDo();
  useEffect(() => {
    void run(() => api.POST('/api/set-password', { body: { token, password: '' } })).then((found) => {
      if (found) setOwner(found);
    });
    // Asked once, for the link that the page was opened with.
  }, [run, token]);
  const keep = async () => {
    const set = await run(() => api.POST('/api/set-password', { body: { token, password } }));
    if (set) setOwner(set);
  };
  return (
    <DoorPage>
      <Stack $gap={4} style={{ marginTop: space(7) }}>
        {owner && !owner.set && (
          <Form refusal={refusal} onSave={() => void keep()}>
            <span>
              {owner.name}, you sign in as <strong>{owner.login}</strong>. Choose a password.
            </span>
            <Field
              name="password"
              label="New password"
              type="password"
              value={password}
              onChange={setPassword}
              autoFocus
            />
            <Small>At least ten signs; several words that do not belong together make a good one.</Small>
            <Row>
              <Spread />
              <Button $kind="filled" type="submit" isDisabled={busy || password === ''}>
                Set the password
              </Button>
            </Row>
          </Form>
        )}
        {owner?.set && (
          <Notice $tone="kelp">
            <Row>
              <span>The password is set.</span>
              <Spread />
              <Button $kind="filled" onPress={() => window.location.assign('/')}>
                Sign in
              </Button>
            </Row>
          </Notice>
        )}
        {refusal && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.is('not-found') ? 'This link serves no more. Ask the manager for another one.' : refusal.message}
          </Notice>
        )}
      </Stack>
    </DoorPage>
  );
}
