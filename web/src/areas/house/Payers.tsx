/** The payers: by what claims and questions go to each, and how long it takes claims. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Check, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Row, Scroller, Sheet, Small, Spread, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';

type Payer = Schemas['Payer'];

function PayerDialog({ payer: p, onClose }: { payer: Payer | null; onClose: () => void }) {
  const [name, setName] = useState(p?.name ?? '');
  const [payerCode, setCode] = useState(p?.payerCode ?? '');
  const [filingCode, setFiling] = useState(p?.filingCode ?? 'CI');
  const [employment, setEmployment] = useState(p?.employment ?? false);
  const [filingDays, setDays] = useState(p?.filingDays == null ? '' : String(p.filingDays));
  const [correctionDays, setCorrection] = useState(p?.correctionDays == null ? '' : String(p.correctionDays));
  const [appealDays, setAppeal] = useState(p?.appealDays == null ? '' : String(p.appealDays));
  const [needsReferral, setNeeds] = useState(p?.needsReferral ?? false);
  const [telephone, setTelephone] = useState(p?.telephone ?? '');
  const [address, setAddress] = useState(p?.address ?? '');
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = {
      name,
      payerCode,
      filingCode,
      employment,
      filingDays,
      correctionDays,
      appealDays,
      needsReferral,
      telephone,
      address,
    };
    const done = p
      ? await run(() => api.PUT('/api/settings/payers/{id}', { params: { path: { id: p.id } }, body }))
      : await run(() => api.POST('/api/settings/payers', { body }));
    if (done) onClose();
  };
  return (
    <Dialog title={p ? p.name : 'A new payer'} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.field}>
          <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
          <Field
            name="payerCode"
            label="Payer’s number"
            hint="By which the clearing house knows it."
            value={payerCode}
            onChange={setCode}
          />
          <Field
            name="filingCode"
            label="Kind of plan"
            hint="CI commercial, MB Medicare part B, MC Medicaid, WC accidents at work."
            value={filingCode}
            onChange={setFiling}
          />
          <Field
            name="filingDays"
            label="Takes claims for, in days"
            hint="From the visit on; empty while nobody has told."
            value={filingDays}
            onChange={setDays}
          />
          <Field
            name="correctionDays"
            label="Takes corrected claims for, in days"
            hint="From its decision on; empty while nobody has told."
            value={correctionDays}
            onChange={setCorrection}
          />
          <Field
            name="appealDays"
            label="Takes appeals for, in days"
            hint="From its decision on; empty while nobody has told."
            value={appealDays}
            onChange={setAppeal}
          />
          <Field name="telephone" label="Telephone" value={telephone} onChange={setTelephone} />
          <Field name="address" label="Address" value={address} onChange={setAddress} />
        </Columns>
        <Check
          label="Pays for accidents at work, and for nothing else"
          value={employment}
          onChange={(on) => {
            setEmployment(on);
            if (on) setFiling('WC');
          }}
        />
        <Check label="Pays only with a referral" value={needsReferral} onChange={setNeeds} />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            {p ? 'Save' : 'Add the payer'}
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

export function Payers() {
  const { clinic } = useSession();
  const may = useMay();
  const [open, setOpen] = useState<Payer | 'new' | null>(null);
  return (
    <Sheet>
      <Row>
        <h2>Payers</h2>
        <Spread />
        {may('set_clinic') && <Button onPress={() => setOpen('new')}>Add a payer</Button>}
      </Row>
      <Scroller>
        <Table data-payers>
          <thead>
            <tr>
              <th>Payer</th>
              <th>Number</th>
              <th>Kind of plan</th>
              <th>Takes claims for</th>
              <th>Telephone</th>
            </tr>
          </thead>
          <tbody>
            {clinic.payers.map((p) => (
              <tr key={p.id} data-payer={p.payerCode}>
                <td>
                  {may('set_clinic') ? (
                    <Button
                      $kind="quiet"
                      style={{ paddingLeft: 0, whiteSpace: 'normal', textAlign: 'left' }}
                      onPress={() => setOpen(p)}
                      aria-label={`${p.name}: change the payer`}
                    >
                      {p.name}
                    </Button>
                  ) : (
                    p.name
                  )}
                </td>
                <td>
                  <Mono>{p.payerCode}</Mono>
                </td>
                <td>
                  <Mono>{p.filingCode}</Mono> {p.employment && <Small>accidents at work</Small>}
                  {p.needsReferral && <Small>only with a referral</Small>}
                </td>
                <td>{p.filingDays == null ? <Small>not told</Small> : `${p.filingDays} days`}</td>
                <td>{p.telephone}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
      {open && (
        <PayerDialog
          key={open === 'new' ? 'new' : open.id}
          payer={open === 'new' ? null : open}
          onClose={() => setOpen(null)}
        />
      )}
    </Sheet>
  );
}
