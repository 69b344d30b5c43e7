/** A charge without a visit, in three fields: a form that was filled in, a brace that was sold, an appointment that was missed. */

import { useState } from 'react';
import { api, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useSession } from '../../app/session';
import { dollars } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Notice, Row, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { ServiceFinder } from './ServiceFinder';
import { services } from './queries';

export function ChargeAlone(p: { person: string; clinician: string | null; onClose: () => void }) {
  const { site } = useSession();
  const { clinicians } = useChoices();
  const [service, setService] = useState<string | null>(null);
  const [day, setDay] = useState('');
  const [clinician, setClinician] = useState(p.clinician);
  const { run, busy, refusal } = useDo();
  const taken = useLook(services()).data?.find((s) => s.service.code === service);
  const charge = async () => {
    const params = { path: { id: p.person } };
    const body = { service: service ?? '', day, clinicianId: clinician ?? '', siteId: site?.id ?? '' };
    if (await run(() => api.POST('/api/people/{id}/charges', { params, body }))) p.onClose();
  };
  return (
    <Dialog title="Charge without a visit" open onClose={p.onClose}>
      <Form refusal={refusal} onSave={charge}>
        {taken ? (
          <Notice data-taken>
            <Row>
              <strong>{taken.service.name}</strong>
              <Mono>{taken.aloneCents == null ? 'no price' : dollars(taken.aloneCents)}</Mono>
              <Spread />
              <Button $kind="quiet" onPress={() => setService(null)}>
                Another service
              </Button>
            </Row>
          </Notice>
        ) : (
          <ServiceFinder alone label="Service" name="service" onTake={(s) => setService(s.service.code)} autoFocus />
        )}
        <Columns $min={part.field}>
          <Field label="Day" name="day" value={day} onChange={setDay} placeholder="today" />
          <Pick
            label="For whose work"
            name="clinicianId"
            value={clinician}
            onChange={setClinician}
            choices={clinicians}
          />
        </Columns>
        <Small>
          It is charged at once, at the price of who pays alone, to who answers for the patient. What a payer should pay
          for is written up as a visit.
        </Small>
        {taken && !clinician && <Small>Choose for whose work it is.</Small>}
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy || !service || !clinician}>
            Charge it
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
