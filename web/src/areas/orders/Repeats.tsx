/** Orders that come due again by themselves: let, listed, ended. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay } from '../../app/session';
import { plainDate } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Spread, Stack } from '../../ui/layout';

export function LetRepeat({ id, name, close }: { id: string; name: string; close: () => void }) {
  const [months, setMonths] = useState('3');
  const [until, setUntil] = useState('+1y');
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { months: Number.parseInt(months, 10) || 0, until };
    if (await run(() => api.POST('/api/orders/{id}/repeat', { params: { path: { id } }, body }))) close();
  };
  return (
    <Form refusal={refusal} onSave={save}>
      <Stack $gap={1}>
        <Field
          name="months"
          label={`${name} again every so many months`}
          value={months}
          onChange={setMonths}
          autoFocus
        />
        <Field name="until" label="Until" value={until} onChange={setUntil} />
        <Small>A draft is made when it comes due, and waits on Today for its signature.</Small>
        <Refused />
        <Row>
          <Button $kind="quiet" onPress={close}>
            Leave it
          </Button>
          <Button isDisabled={busy} type="submit">
            Let it come due
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}

export function Repeats({ person, repeats }: { person: string; repeats: Schemas['RepeatView'][] }) {
  return (
    <>
      {repeats.map((r) => (
        <Repeat key={r.id} person={person} r={r} />
      ))}
    </>
  );
}

function Repeat({ person, r }: { person: string; r: Schemas['RepeatView'] }) {
  const may = useMay();
  const [ending, setEnding] = useState(false);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const end = () =>
    run(() =>
      api.POST('/api/people/{id}/order-repeats/{repeat}/end', {
        params: { path: { id: person, repeat: r.id } },
        body: { reason },
      }),
    );
  return (
    <div data-repeat={r.name}>
      <Row>
        <Small>
          ↻ {r.name} every {r.months === 1 ? 'month' : `${r.months} months`}, next {plainDate(r.due)}, until{' '}
          {plainDate(r.until)} · {r.orderer}
        </Small>
        <Spread />
        {may('write_note') && !ending && (
          <Button $kind="quiet" aria-label={`End the repeat of ${r.name}`} onPress={() => setEnding(true)}>
            End
          </Button>
        )}
      </Row>
      {ending && (
        <Form refusal={refusal} onSave={end}>
          <Field name="reason" label="Why it comes due no more" value={reason} onChange={setReason} autoFocus />
          <Refused />
          <Row>
            <Button $kind="quiet" onPress={() => setEnding(false)}>
              Leave it
            </Button>
            <Button isDisabled={busy} type="submit">
              End the repeat
            </Button>
          </Row>
        </Form>
      )}
    </div>
  );
}
