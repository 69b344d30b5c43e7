import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Form, Refused } from '../../ui/Form';
import { Button, Check, Field } from '../../ui/controls';
import { Columns, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';

/** What a booking needs, why visits are cancelled, and how far ahead there is time to book. */
export function BookingRules() {
  const { clinic } = useSession();
  const may = useMay();
  const [reasons, setReasons] = useState(clinic.cancelReasons.join('\n'));
  const [required, setRequired] = useState(clinic.reasonRequired);
  const [days, setDays] = useState(String(clinic.supplyDays));
  const [saved, setSaved] = useState(false);
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { cancelReasons: reasons.split('\n'), reasonRequired: required, supplyDays: Number(days) || 0 };
    setSaved((await run(() => api.PUT('/api/settings/booking', { body }))) !== undefined);
  };
  return (
    <Sheet>
      <h2>Booking and cancelling</h2>
      {may('set_clinic') ? (
        <Form refusal={refusal} onSave={save}>
          <Columns $min={part.list}>
            <Field
              name="cancelReasons"
              label="Why visits are cancelled, one reason a line"
              value={reasons}
              onChange={setReasons}
              lines={8}
            />
            <Stack>
              <Check label="A booking needs a reason" value={required} onChange={setRequired} />
              <Field name="supplyDays" label="Shifts are made so many days ahead" value={days} onChange={setDays} />
            </Stack>
          </Columns>
          <Refused />
          <Row>
            {saved && <Small role="status">Saved.</Small>}
            <Spread />
            <Button type="submit" isDisabled={busy}>
              Save what booking needs
            </Button>
          </Row>
        </Form>
      ) : (
        <Small>
          Reasons: {clinic.cancelReasons.join(', ')}. A booking {clinic.reasonRequired ? 'needs a' : 'needs no'} reason.
        </Small>
      )}
    </Sheet>
  );
}
