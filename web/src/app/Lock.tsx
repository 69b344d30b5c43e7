import { Form, Refused } from '../ui/Form';
import { useState } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { api, Refusal, setCsrf, take } from '../api/client';
import { Button, Field } from '../ui/controls';
import { Small } from '../ui/layout';
import { color, corner, hair, part, space } from '../ui/tokens';
import { openScreen } from './lock';
import { askSession } from './presence';

const Whole = styled(Aria.ModalOverlay)`
  position: fixed;
  inset: 0;
  display: grid;
  place-items: center;
  background: ${color.paper};
`;

const Card = styled(Aria.Modal)`
  width: min(${part.list}, 100%);
  padding: ${space(8)};
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
`;

/** Shows nothing of anyone; opens with the password on the very page that was left. */
export function Lock({ login, onOpened }: { login: string; onOpened: () => void }) {
  const [password, setPassword] = useState('');
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const enter = async () => {
    setBusy(true);
    setRefusal(null);
    try {
      // After a reload the word for changes is not known yet.
      const session = await askSession();
      if (session) setCsrf(session.csrf);
      await take(api.POST('/api/session/unlock', { body: { password } }));
      openScreen();
      onOpened();
    } catch (error) {
      setPassword('');
      if (error instanceof Refusal) setRefusal(error);
    } finally {
      setBusy(false);
    }
  };
  const leave = async () => {
    await api.POST('/api/sign-out').catch(() => undefined);
    openScreen();
    window.dispatchEvent(new Event('harbor-signed-out'));
  };
  return (
    <Whole isOpen isDismissable={false} isKeyboardDismissDisabled data-lock>
      <Card>
        <Aria.Dialog aria-label="The screen is locked">
          <Form refusal={refusal} onSave={() => void enter()}>
            <div>
              <h1>Locked</h1>
              <Small>What was open and typed is still there. It opens with the password of {login}.</Small>
            </div>
            <Field label="Password" type="password" name="password" value={password} onChange={setPassword} autoFocus />
            <Refused />
            <Button $kind="filled" type="submit" isDisabled={busy || password === ''}>
              Open
            </Button>
            <Button $kind="quiet" onPress={() => void leave()}>
              Sign out instead
            </Button>
          </Form>
        </Aria.Dialog>
      </Card>
    </Whole>
  );
}
