/** Writing a prescription: typed as people say it, read back in words, with what speaks against it beside. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { Form, Refused } from '../../ui/Form';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Columns, Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Findings } from './Findings';
import { prescriptionCheck } from './queries';

type Chart = Schemas['ChartView'];
type Product = Schemas['ProductView'];
type Step = Schemas['StepForm'];

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
  const foods = useWords('foods');
  const [dose, setDose] = useState(product.dose);
  const [often, setOften] = useState(product.often);
  // Days say the quantity, and the quantity the days: the one typed last says the other.
  const [days, setDays] = useState(String(product.days));
  const [quantity, setQuantity] = useState('');
  const [refills, setRefills] = useState('0');
  const [then, setThen] = useState<Step[]>([]);
  const [asNeeded, setAsNeeded] = useState(false);
  const [neededFor, setNeededFor] = useState('');
  const [mostPerDay, setMostPerDay] = useState('');
  const [food, setFood] = useState('');
  const [instructions, setInstructions] = useState<string | null>(null);
  const [substitution, setSubstitution] = useState(true);
  const [note, setNote] = useState('');
  const [more, setMore] = useState(false);
  const only = chart.diagnoses.length === 1 ? chart.diagnoses[0]?.code : undefined;
  const [diagnosis, setDiagnosis] = useState<string | null>(under ?? only ?? null);
  const { run, busy, refusal } = useDo();
  const body = {
    productCode: product.code,
    dose,
    often,
    days,
    quantity,
    then,
    asNeeded,
    neededFor,
    mostPerDay,
    food,
    refills,
    diagnosis,
    instructions: instructions ?? '',
    substitution,
    note,
  };
  const path = { params: { path: { id: visit } } };
  const check = useLook(prescriptionCheck(visit, body), true);
  const add = async () => {
    const added = await run(() => api.POST('/api/visits/{id}/prescriptions', { ...path, body }));
    if (added) onDone(added.id);
  };
  const step = (n: number, change: Partial<Step>) => setThen(then.map((s, at) => (at === n ? { ...s, ...change } : s)));
  // What was read last stays until the next is read, so that nothing jumps under the hands.
  const [last, setLast] = useState<Schemas['Checked'] | null>(null);
  if (check.data && check.data !== last) setLast(check.data);
  const told = check.error ? null : (check.data ?? last);
  return (
    <Form refusal={check.error ?? refusal} onSave={add}>
      <Stack>
        <Row>
          <strong>{product.brand}</strong> <Mono>{product.strength}</Mono>
          <Small>
            {product.ingredients.join(' / ')}, {product.form}
          </Small>
          {product.schedule && <Tag $tone="brass">Controlled, schedule {product.schedule}</Tag>}
        </Row>
        <Columns $min={part.field}>
          <Field label="Dose" aside={product.unit} value={dose} onChange={setDose} name="dose" />
          <Field label="How often" value={often} onChange={setOften} name="often" />
          <Field
            label="Days"
            value={days}
            placeholder={told ? String(told.days) : ''}
            name="days"
            onChange={(text) => {
              setDays(text);
              setQuantity('');
            }}
          />
          <Field
            label="Dispense"
            aside={product.unit}
            value={quantity}
            placeholder={told ? String(told.quantity) : ''}
            name="quantity"
            onChange={(text) => {
              setQuantity(text);
              if (then.length === 0) setDays('');
            }}
          />
          <Field label="Refills" value={refills} onChange={setRefills} name="refills" />
        </Columns>
        {then.map((s, n) => (
          <Columns key={n} $min={part.field}>
            <Field label={`Then, dose`} value={s.dose} onChange={(v) => step(n, { dose: v })} />
            <Field label="How often" value={s.often} onChange={(v) => step(n, { often: v })} />
            <Field label="Days" value={s.days} onChange={(v) => step(n, { days: v })} />
            <Row style={{ alignSelf: 'end' }}>
              <Button $kind="quiet" onPress={() => setThen(then.filter((_, at) => at !== n))}>
                Take this step away
              </Button>
            </Row>
          </Columns>
        ))}
        <Row>
          <Check label="Only when needed" value={asNeeded} onChange={setAsNeeded} />
          <Spread />
          <Button $kind="quiet" onPress={() => setThen([...then, { dose, often, days: '' }])}>
            Another step
          </Button>
          <Button $kind="quiet" aria-expanded={more} onPress={() => setMore(!more)}>
            {more ? 'Less' : 'Food, words, pharmacist'}
          </Button>
        </Row>
        {asNeeded && (
          <Columns $min={part.field}>
            <Field label="Needed for" value={neededFor} onChange={setNeededFor} name="neededFor" />
            <Field
              label="Most a day"
              aside={product.unit}
              value={mostPerDay}
              onChange={setMostPerDay}
              name="mostPerDay"
            />
          </Columns>
        )}
        {more && (
          <Stack>
            <Pick
              label="With food"
              value={food}
              onChange={setFood}
              choices={[{ id: '', label: 'Does not matter' }, ...foods]}
            />
            <Field
              label="Instructions"
              hint="As the patient reads them; empty, they follow from the dose."
              value={instructions ?? ''}
              placeholder={told?.instructions ?? ''}
              onChange={(text) => setInstructions(text === '' ? null : text)}
              name="instructions"
            />
            <Field label="Note to the pharmacist" value={note} onChange={setNote} name="note" />
            <Check label="The same of another maker will do" value={substitution} onChange={setSubstitution} />
          </Stack>
        )}
        <Choose
          label="For"
          value={diagnosis ?? ''}
          onChange={setDiagnosis}
          choices={chart.diagnoses.map((d) => ({ id: d.code, label: `${d.code} ${d.title}` }))}
        />
        {told && (
          <>
            <p data-instructions>
              {told.instructions} Dispense <Mono>{told.quantity}</Mono> {told.unit}
              {told.quantity > 1 && told.unit !== 'mL' ? 's' : ''}.
            </p>
            {told.byWeight && <Small data-by-weight>{told.byWeight}</Small>}
            <Findings list={told.findings} />
          </>
        )}
        <Refused />
        <Row>
          <Spread />
          <Button onPress={() => onDone()}>Leave</Button>
          <Button type="submit" isDisabled={busy}>
            Add to the prescription
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
