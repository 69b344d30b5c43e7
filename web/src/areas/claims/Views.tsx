/** What a biller looks for again and again, under a name of their own. */

import { useState } from 'react';
import { api, useDo, useLook } from '../../api/client';
import { useUndo } from '../../app/undo';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { savedViews, type Sought } from './queries';

const place = 'claims';

/** What was kept, upon what there is to look for today; nothing where it cannot be read. */
function read(asked: string, nothing: Sought): Sought | null {
  try {
    return { ...nothing, ...(JSON.parse(asked) as Partial<Sought>) };
  } catch {
    return null;
  }
}

export function Views(p: { sought: Sought; nothing: Sought; onLook: (s: Sought) => void }) {
  const look = useLook(savedViews());
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState('');
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const all = look.data ?? [];
  const now = JSON.stringify(p.sought);
  const keep = async () => {
    if (!(await run(() => api.PUT('/api/saved-views', { body: { place, name, asked: now } })))) return;
    setNaming(false);
    setName('');
  };
  const forget = async (view: { id: string; name: string; asked: string }) => {
    if (!(await run(() => api.DELETE('/api/saved-views/{id}', { params: { path: { id: view.id } } })))) return;
    offerUndo(`The view ${view.name} is forgotten.`, () =>
      api.PUT('/api/saved-views', { body: { place, name: view.name, asked: view.asked } }),
    );
  };
  return (
    <Row $gap={2} data-views>
      {all.map((view) => {
        const asked = read(view.asked, p.nothing);
        const is = asked && JSON.stringify(asked) === now;
        return (
          <Row key={view.id} $gap={0}>
            <Button
              aria-pressed={Boolean(is)}
              isDisabled={!asked}
              onPress={() => asked && p.onLook(asked)}
              {...(is ? {} : { $kind: 'quiet' as const })}
            >
              {view.name}
            </Button>
            {is && (
              <Button $kind="quiet" aria-label={`Forget the view ${view.name}`} onPress={() => void forget(view)}>
                Forget
              </Button>
            )}
          </Row>
        );
      })}
      {naming ? (
        <Form refusal={refusal} onSave={() => void keep()}>
          <Row $gap={2}>
            <div style={{ width: space(48) }}>
              <Field
                name="name"
                label="Name of this view"
                hideLabel
                value={name}
                onChange={setName}
                placeholder="Name of this view"
                autoFocus
              />
            </div>
            <Button type="submit" isDisabled={busy}>
              Keep
            </Button>
            <Button $kind="quiet" onPress={() => setNaming(false)}>
              Leave it
            </Button>
          </Row>
          <Refused />
        </Form>
      ) : (
        <Button $kind="quiet" onPress={() => setNaming(true)}>
          Keep this view
        </Button>
      )}
      {all.length === 0 && !naming && <Small>What you look for often can be kept under a name.</Small>}
    </Row>
  );
}
