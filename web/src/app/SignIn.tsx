import { type ReactNode, useState } from 'react';
import styled from 'styled-components';
import { api, useDo, useLook } from '../api/client';
import { Button, Field } from '../ui/controls';
import { Notice, Small, Stack } from '../ui/layout';
import { color, corner, hair, innerCorner, part, signInWidth, size, space } from '../ui/tokens';
import type { Me } from './session';
import { signIns } from './queries';

const Whole = styled.main`
  min-height: 100%;
  display: grid;
  place-items: center;
  padding: ${space(6)};
`;

const Card = styled.div`
  width: min(${signInWidth}, 100%);
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${part.list}, 1fr));
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  overflow: hidden;
`;

const Side = styled.div`
  padding: ${space(8)};
  &:last-child {
    background: ${color.well};
  }
  h1 {
    margin-bottom: ${space(1)};
  }
`;

const Who = styled.button`
  display: flex;
  justify-content: space-between;
  gap: ${space(3)};
  width: 100%;
  padding: ${space(1.5)} ${space(2)};
  border: 0;
  border-radius: ${innerCorner};
  background: none;
  text-align: left;
  cursor: pointer;
  font-size: ${size.small};
  &:hover {
    background: ${color.selected};
  }
  span {
    color: ${color.quiet};
    text-align: right;
  }
`;

/** The page before the door, for signing in and for setting a password. */
export function DoorPage({ children, beside }: { children: ReactNode; beside?: ReactNode }) {
  return (
    <Whole>
      <Card>
        <Side>
          <h1>Indigo Harbor</h1>
          <Small>Family Clinic, Port Calder</Small>
          {children}
        </Side>
        {beside}
      </Card>
    </Whole>
  );
}

export function SignIn({ onSignedIn }: { onSignedIn: (me: Me) => void }) {
  const [login, setLogin] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const shown = useLook(signIns());
  const { run, busy, refusal } = useDo();
  const enter = async () => {
    const me = await run(() => api.POST('/api/sign-in', { body: { login, password, code } }));
    if (me) onSignedIn(me);
  };
  // The second factor is asked for once the password was right, and stays asked for.
  const [asked, setAsked] = useState(false);
  if (refusal?.is('second-factor') && !asked) setAsked(true);
  const beside = (shown.data?.length ?? 0) > 0 && (
    <Side>
      <h2>Demo sign-ins</h2>
      <Small>The password of all of them is harbor.</Small>
      <ul style={{ marginTop: space(3) }}>
        {shown.data?.map((who) => (
          <li key={who.login}>
            <Who
              type="button"
              onClick={() => {
                setLogin(who.login);
                setPassword('harbor');
              }}
            >
              <strong>{who.name.split(', ')[0]}</strong>
              <span>{who.name.split(', ').slice(1).join(', ')}</span>
            </Who>
          </li>
        ))}
      </ul>
    </Side>
  );
  return (
    <DoorPage beside={beside}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          void enter();
        }}
      >
        <Stack $gap={4} style={{ marginTop: space(7) }}>
          <Field label="Sign-in name" value={login} onChange={setLogin} autoFocus name="login" />
          <Field label="Password" type="password" value={password} onChange={setPassword} name="password" />
          {asked && (
            <Field
              label="Code of your device, or a recovery code"
              name="code"
              value={code}
              onChange={setCode}
              autoFocus
            />
          )}
          {refusal && (
            <Notice $tone="coral" role="alert">
              {refusal.message}
            </Notice>
          )}
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Sign in
          </Button>
        </Stack>
      </form>
    </DoorPage>
  );
}
