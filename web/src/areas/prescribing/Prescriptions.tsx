/** Prescribing: dose, the checks while it is typed, and sending with one signature. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useSession } from '../../app/session';
import { Faults, Form, Refused } from '../../ui/Form';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { prescriptionCheck } from './queries';

type Chart = Schemas['ChartView'];
type Product = Schemas['ProductView'];
type Warning = Schemas['GivenWarning'];

const tone = { serious: 'coral', caution: 'brass', note: 'tide' } as const;

function Warnings({ list }: { list: Warning[] }) {
  return (
    <Stack $gap={1}>
      {list.map((w) => (
        <Notice key={w.sentence} $tone={tone[w.severity]} data-warning={w.kind}>
          <strong>{w.severity === 'serious' ? 'Serious' : w.severity === 'caution' ? 'Caution' : 'Note'}: </strong>
          {w.sentence}
        </Notice>
      ))}
    </Stack>
  );
}

/** A product being prescribed: dose, the checks while it is typed. */
export function Draft({
  product,
  visit,
  chart,
  under,
  onDone,
}: {
  product: Product;
  visit: string;
  chart: Chart;
  /** The diagnosis of the run that it was begun in. */
  under: string | null;
  /** With the prescription that was added; without one when it was left. */
  onDone: (added?: string) => void;
}) {
  const [dose, setDose] = useState(String(product.dose));
  const [perDay, setPerDay] = useState(String(product.perDay));
  const [days, setDays] = useState(String(product.days));
  const [refills, setRefills] = useState('0');
  const [asNeeded, setAsNeeded] = useState(false);
  const only = chart.diagnoses.length === 1 ? chart.diagnoses[0]?.code : undefined;
  const [diagnosis, setDiagnosis] = useState<string | null>(under ?? only ?? null);
  const { run, busy, refusal } = useDo();
  const number = (text: string) => (text.trim() === '' ? 0 : Number(text));
  const body = {
    productCode: product.code,
    dose: number(dose),
    perDay: number(perDay),
    days: Math.max(0, Math.round(number(days))),
    refills: Math.round(number(refills)),
    asNeeded,
    diagnosis,
  };
  const path = { params: { path: { id: visit } } };
  const sane = [body.dose, body.perDay, body.days, body.refills].every(Number.isFinite);
  const check = useLook(prescriptionCheck(visit, body), sane);
  const add = async () => {
    const added = await run(() => api.POST('/api/visits/{id}/prescriptions', { ...path, body }));
    if (added) onDone(added.id);
  };
  return (
    <Form refusal={check.error ?? refusal} onSave={add}>
      <Stack>
        <Row>
          <strong>{product.brand}</strong> <Mono>{product.strength}</Mono>
          <Small>
            {product.ingredients.join(', ')}, {product.form}
          </Small>
        </Row>
        <Columns $min={part.field}>
          <Field label="Dose" value={dose} onChange={setDose} name="dose" />
          <Field label="Times a day" value={perDay} onChange={setPerDay} name="perDay" />
          <Field label="Days" value={days} onChange={setDays} name="days" />
          <Field label="Refills" value={refills} onChange={setRefills} name="refills" />
        </Columns>
        <Choose
          label="For"
          value={diagnosis ?? ''}
          onChange={setDiagnosis}
          choices={chart.diagnoses.map((d) => ({ id: d.code, label: `${d.code} ${d.title}` }))}
        />
        <Check label="Only when needed" value={asNeeded} onChange={setAsNeeded} />
        {!sane && <Notice $tone="coral">Dose, times a day, days and refills are numbers.</Notice>}
        {check.data && sane && (
          <>
            <p>
              {check.data.instructions} Dispense <Mono>{check.data.quantity}</Mono>.
            </p>
            <Warnings list={check.data.warnings} />
          </>
        )}
        <Refused />
        <Row>
          <Spread />
          <Button onPress={() => onDone()}>Leave</Button>
          <Button type="submit" isDisabled={busy || !sane}>
            Add to the prescription
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}

/** One prescription: what it says, what speaks against it, and sending it with one signature. */
export function One({ item, chart, open }: { item: Schemas['Prescription']; chart: Chart; open: boolean }) {
  const { clinic } = useSession();
  const [pharmacy, setPharmacy] = useState<string | null>(clinic.pharmacies[0]?.id ?? null);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const warnings = item.warnings;
  const path = { params: { path: { id: item.id } } };
  const draft = item.state === 'draft';
  const wordOf = useWordOf('prescriptionStates');
  return (
    <div data-prescription={item.productCode}>
      <Stack>
        <Row>
          <strong>{item.medicine}</strong>
          <Tag $tone={draft ? 'brass' : 'kelp'}>{wordOf(item.state)}</Tag>
          {item.diagnosis && <Mono>{item.diagnosis}</Mono>}
          <Spread />
          {open && draft && (
            <Button $kind="quiet" onPress={() => void run(() => api.DELETE('/api/prescriptions/{id}', path))}>
              Remove
            </Button>
          )}
        </Row>
        <p>
          {item.instructions} Dispense <Mono>{item.quantity}</Mono>
          {item.refills > 0 && `, ${item.refills} refills`}.
        </p>
        {item.overrideReason && <Small>Override reason: {item.overrideReason}</Small>}
        {draft && <Warnings list={warnings} />}
        {open && draft && (
          <Faults refusal={refusal}>
            <Stack>
              <Columns $min={part.wideField}>
                <Pick
                  label="Pharmacy"
                  value={pharmacy}
                  onChange={setPharmacy}
                  choices={clinic.pharmacies.map((x) => ({ id: x.id, label: x.name }))}
                />
                {!item.diagnosis && (
                  <Pick
                    label="For"
                    value={null}
                    onChange={(code) =>
                      void run(() => api.PUT('/api/prescriptions/{id}/diagnosis', { ...path, body: { code } }))
                    }
                    choices={chart.diagnoses.map((d) => ({ id: d.code, label: `${d.code} ${d.title}` }))}
                  />
                )}
                {warnings.some((w) => w.severity === 'serious') && (
                  <Field label="Override reason" name="overrideReason" value={reason} onChange={setReason} />
                )}
              </Columns>
              <Refused />
              <Row>
                <Spread />
                <Button
                  $kind="filled"
                  isDisabled={busy || !pharmacy}
                  onPress={() =>
                    void run(() =>
                      api.POST('/api/prescriptions/{id}/send', {
                        ...path,
                        body: { pharmacyId: pharmacy ?? '', overrideReason: reason },
                      }),
                    )
                  }
                >
                  Sign and send
                </Button>
              </Row>
            </Stack>
          </Faults>
        )}
      </Stack>
    </div>
  );
}
