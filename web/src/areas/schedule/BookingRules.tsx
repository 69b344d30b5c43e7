import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Check, Field } from '../../ui/controls';
import { Columns, Notice, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
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
        <Stack>
          <Columns $min={part.list}>
            <Field
              label="Why visits are cancelled, one reason a line"
              value={reasons}
              onChange={setReasons}
              lines={8}
              fault={refusal?.fault('cancelReasons')}
            />
            <Stack>
              <Check label="A booking needs a reason" value={required} onChange={setRequired} />
              <Field
                label="Shifts are made so many days ahead"
                value={days}
                onChange={setDays}
                fault={refusal?.fault('supplyDays')}
              />
            </Stack>
          </Columns>
          {refusal && refusal.problem.fields.length === 0 && <Notice $tone="coral">{refusal.message}</Notice>}
          <Row>
            {saved && <Small role="status">Saved.</Small>}
            <Spread />
            <Button isDisabled={busy} onPress={() => void save()}>
              Save what booking needs
            </Button>
          </Row>
        </Stack>
      ) : (
        <Small>
          Reasons: {clinic.cancelReasons.join(', ')}. A booking {clinic.reasonRequired ? 'needs a' : 'needs no'} reason.
        </Small>
      )}
    </Sheet>
  );
}
