import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { Faults, Refused } from '../../ui/Form';
import { Button, Field, Pick } from '../../ui/controls';
import { Row } from '../../ui/layout';
import { part } from '../../ui/tokens';

/** One more slot in a shift: before it, behind it, or where there is room. */
export function AddSlot({ shiftId, onDone }: { shiftId: string; onDone: () => void }) {
  const { types } = useChoices();
  const [place, setPlace] = useState('end');
  const [at, setAt] = useState('');
  const [minutes, setMinutes] = useState('20');
  const [type, setType] = useState(types[0]?.id ?? '');
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const body = { place, at, minutes: Number(minutes) || 0, visitTypeId: type };
    if (await run(() => api.POST('/api/shifts/{id}/slots', { params: { path: { id: shiftId } }, body }))) onDone();
  };
  return (
    <Faults refusal={refusal}>
      <Row $align="end" $gap={2}>
        <div style={{ width: part.wideField }}>
          <Pick
            label="One more slot"
            value={place}
            onChange={setPlace}
            choices={[
              { id: 'beginning', label: 'before the shift' },
              { id: 'end', label: 'behind the shift' },
              { id: 'at', label: 'within it, at' },
            ]}
          />
        </div>
        {place === 'at' && (
          <div style={{ width: part.count }}>
            <Field name="at" label="Time" value={at} onChange={setAt} placeholder="10:20" />
          </div>
        )}
        <div style={{ width: part.count }}>
          <Field label="Minutes" value={minutes} onChange={setMinutes} />
        </div>
        <div style={{ width: part.wideField }}>
          <Pick label="For" value={type} onChange={setType} choices={types} />
        </div>
        <Button isDisabled={busy} onPress={() => void add()}>
          Add it
        </Button>
      </Row>
      <Refused />
    </Faults>
  );
}
