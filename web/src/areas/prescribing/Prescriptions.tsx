/** Prescribing: search, dose, the checks while it is typed, and sending with one signature. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Faults, Form, Refused } from '../../ui/Form';
import { Button, Check, Choose, Field, Finder, Pick } from '../../ui/controls';
import { Columns, Empty, Mono, Notice, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { prescriptionCheck, products } from './queries';

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

function Draft({
  product,
  visit,
  chart,
  onDone,
}: {
  product: Product;
  visit: string;
  chart: Chart;
  onDone: () => void;
}) {
  const [dose, setDose] = useState(String(product.dose));
  const [perDay, setPerDay] = useState(String(product.perDay));
  const [days, setDays] = useState(String(product.days));
  const [refills, setRefills] = useState('0');
  const [asNeeded, setAsNeeded] = useState(false);
  const only = chart.diagnoses.length === 1 ? chart.diagnoses[0]?.code : undefined;
  const [diagnosis, setDiagnosis] = useState<string | null>(only ?? null);
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
    if (await run(() => api.POST('/api/visits/{id}/prescriptions', { ...path, body }))) onDone();
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
          <Button onPress={onDone}>Leave</Button>
          <Button type="submit" isDisabled={busy || !sane}>
            Add to the prescription
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}

function One({ item, chart, open }: { item: Schemas['Prescription']; chart: Chart; open: boolean }) {
  const { clinic } = useSession();
  const [pharmacy, setPharmacy] = useState<string | null>(clinic.pharmacies[0]?.id ?? null);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const warnings = item.warnings;
  const path = { params: { path: { id: item.id } } };
  const draft = item.state === 'draft';
  const wordOf = useWordOf('prescriptionStates');
  return (
    <Sheet data-prescription={item.productCode}>
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
    </Sheet>
  );
}

export function Prescriptions({ view, chart }: { view: Schemas['VisitView']; chart: Chart }) {
  const visit = view.card.visit.id;
  const may = useMay();
  const open = may('write_note') && !chart.signature;
  const [text, setText] = useState('');
  const [product, setProduct] = useState<Product | null>(null);
  const found = useLook(products(text), text.trim().length > 2);
  return (
    <Stack $gap={0}>
      {open && (
        <Sheet>
          <h2>Prescribe</h2>
          {product ? (
            <Draft key={product.code} product={product} visit={visit} chart={chart} onDone={() => setProduct(null)} />
          ) : (
            <Finder
              label="Find a medicine"
              hideLabel
              value={text}
              onChange={setText}
              placeholder="Three letters of an ingredient or brand; more words narrow it"
              items={text.trim().length > 2 ? (found.data ?? []) : []}
              keyOf={(x) => x.code}
              textOf={(x) => x.brand}
              onTake={(x) => {
                setProduct(x);
                setText('');
              }}
              render={(x) => (
                <>
                  {x.brand} <Mono>{x.strength}</Mono>{' '}
                  <Small>
                    {x.ingredients.join(', ')}, {x.form}
                  </Small>
                </>
              )}
            />
          )}
        </Sheet>
      )}
      {chart.prescriptions.map((item) => (
        <One key={item.id} item={item} chart={chart} open={open} />
      ))}
      {chart.prescriptions.length === 0 && !open && <Empty>Nothing was prescribed at this visit.</Empty>}
    </Stack>
  );
}
