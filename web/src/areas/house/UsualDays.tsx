/** When a result is late: the clinic's own days, where they differ from the list. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Form, Refused } from '../../ui/Form';
import { Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { usualDays } from './queries';

type Usual = Schemas['UsualDays'];

export function UsualDays() {
  const look = useLook(usualDays());
  const [text, setText] = useState('');
  const [chosen, setChosen] = useState<Usual | null>(null);
  const { run } = useDo();
  const all = look.data ?? [];
  const own = all.filter((u) => u.own != null);
  const typed = text.trim().toLowerCase();
  const found = typed ? all.filter((u) => u.name.toLowerCase().includes(typed)).slice(0, 12) : [];
  return (
    <Sheet data-usual-days>
      <h2>When a result is late</h2>
      <Stack $gap={2}>
        <Small>An order is overdue when its result is longer away than these days; otherwise the list counts.</Small>
        {own.map((u) => (
          <Row key={u.code} data-usual={u.name}>
            <span>
              {u.name}: {u.own} {u.own === 1 ? 'day' : 'days'} <Small>instead of {u.listed}</Small>
            </span>
            <Spread />
            <Button $kind="quiet" aria-label={`Change ${u.name}`} onPress={() => setChosen(u)}>
              Change
            </Button>
            <Button
              $kind="quiet"
              aria-label={`${u.name} as listed`}
              onPress={() =>
                void run(() => api.PUT('/api/settings/usual-days', { body: { code: u.code, days: null } }))
              }
            >
              As listed
            </Button>
          </Row>
        ))}
        <div style={{ maxWidth: part.list }}>
          {chosen ? (
            <Days key={chosen.code} u={chosen} close={() => setChosen(null)} />
          ) : (
            <Finder
              label="Say it for"
              value={text}
              onChange={setText}
              placeholder="Test, study or specialty"
              items={found}
              keyOf={(u) => u.code}
              textOf={(u) => u.name}
              onTake={(u) => {
                setText('');
                setChosen(u);
              }}
              render={(u) => (
                <>
                  {u.name} <Small>{u.own ?? u.listed} days</Small>
                </>
              )}
            />
          )}
        </div>
      </Stack>
    </Sheet>
  );
}

function Days({ u, close }: { u: Usual; close: () => void }) {
  const [days, setDays] = useState(String(u.own ?? u.listed));
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { code: u.code, days: Number.parseInt(days, 10) || 0 };
    if (await run(() => api.PUT('/api/settings/usual-days', { body }))) close();
  };
  return (
    <Form refusal={refusal} onSave={save}>
      <Field name="days" label={`${u.name}: days until the result`} value={days} onChange={setDays} autoFocus />
      <Refused />
      <Row>
        <Button $kind="quiet" onPress={close}>
          Leave it
        </Button>
        <Button isDisabled={busy} type="submit">
          Save
        </Button>
      </Row>
    </Form>
  );
}
