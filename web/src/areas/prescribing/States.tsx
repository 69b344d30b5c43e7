/** Pregnancy and breastfeeding: said at a date, asked where it matters. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Spread, Tag } from '../../ui/layout';

type Chart = Schemas['ChartView'];

export function States({ chart }: { chart: Chart }) {
  return chart.states.map((s) => <One key={s.state} known={s} person={chart.person.id} />);
}

function One({ known, person }: { known: Schemas['KnownState']; person: string }) {
  const may = useMay();
  const times = useTimes();
  const word = useWordOf('personStates')(known.state);
  const [due, setDue] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const say = async (holds: boolean, when = '') => {
    const body = { state: known.state, holds, due: when };
    if (await run(() => api.POST('/api/people/{id}/states', { params: { path: { id: person } }, body }))) setDue(null);
  };
  const now = known.holds;
  const last = known.last;
  return (
    <Form refusal={refusal} onSave={() => void say(true, due ?? '')}>
      <Row data-state={known.state}>
        <Tag $tone={now === true ? 'tide' : now === false ? 'kelp' : 'brass'}>
          {now === true ? word : now === false ? `Not ${word.toLowerCase()}` : `${word}? Not known`}
        </Tag>
        {last && (
          <Small>
            {last.holds ? 'yes' : 'no'}, said to {last.recordedBy} on {times.full(last.recordedAt)}
            {last.due && `, due ${times.full(last.due)}`}
          </Small>
        )}
        <Spread />
        {may('record_vitals') && due === null && (
          <>
            <Button
              isDisabled={busy}
              aria-label={`${word}: yes`}
              onPress={() => (known.state === 'pregnant' ? setDue('') : void say(true))}
            >
              Yes
            </Button>
            <Button isDisabled={busy} aria-label={`${word}: no`} onPress={() => void say(false)}>
              No
            </Button>
          </>
        )}
        {due !== null && (
          <>
            <Field label="Due" name="due" value={due} onChange={setDue} placeholder="not known" autoFocus />
            <Button type="submit" isDisabled={busy}>
              Pregnant
            </Button>
            <Button onPress={() => setDue(null)}>Leave</Button>
          </>
        )}
      </Row>
      <Refused />
    </Form>
  );
}
