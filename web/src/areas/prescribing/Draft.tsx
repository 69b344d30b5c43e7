/** Writing a prescription: typed as people say it, read back in words, with what speaks against it beside. */

import { useState } from 'react';
import { api, type Refusal, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { Form, Refused } from '../../ui/Form';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Columns, Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Findings } from './Findings';
import { prescriptionCheck } from './queries';

type Product = Schemas['ProductView'];
type Typed = Schemas['PrescriptionForm'];
type Step = Schemas['StepForm'];

/** Where it is written: in a visit, or for a person without one. */
export type Place = { visit: string } | { person: string };

/** What it may lie under. */
export interface Under {
  code: string;
  title: string;
}

/** What stands in the fields of a product that nobody changed yet: what is usual. */
const usual = (product: Product, diagnosis: string | null): Typed => ({
  productCode: product.code,
  dose: product.dose,
  often: product.often,
  route: product.routes[0] ?? '',
  days: String(product.days),
  quantity: '',
  then: [],
  asNeeded: false,
  neededFor: '',
  mostPerDay: '',
  food: '',
  refills: '0',
  diagnosis,
  instructions: '',
  substitution: true,
  note: '',
});

/** What is written, and where. */
interface Written {
  product: Product;
  place: Place;
  diagnoses: Under[];
  /** The diagnosis of the run that it was begun in. */
  under: string | null;
  /** What was written before, where it is taken up again. */
  start?: Typed;
  /** The draft that is written anew. */
  itself?: string;
}

export function Draft(
  p: Written & {
    word?: string;
    /** With the prescription that was kept; without one when it was left. */
    onDone: (kept?: string) => void;
  },
) {
  const { run, busy, refusal } = useDo();
  const { place, itself } = p;
  const keep = async (body: Typed) => {
    const kept = await run(() => {
      if (itself) return api.PUT('/api/prescriptions/{id}', { params: { path: { id: itself } }, body });
      if ('visit' in place)
        return api.POST('/api/visits/{id}/prescriptions', { params: { path: { id: place.visit } }, body });
      return api.POST('/api/people/{id}/prescriptions', { params: { path: { id: place.person } }, body });
    });
    if (kept) p.onDone(kept.id);
  };
  return (
    <Fields
      {...p}
      busy={busy}
      refusal={refusal}
      word={p.word ?? (itself ? 'Keep' : 'Add to the prescription')}
      onKeep={keep}
      onLeave={() => p.onDone()}
    />
  );
}

/** The fields of a prescription, with what it comes to and what speaks against it beside. */
export function Fields({
  product,
  place,
  diagnoses,
  under,
  start,
  itself,
  word,
  busy,
  refusal,
  onKeep,
  onLeave,
}: Written & {
  word: string;
  busy: boolean;
  refusal: Refusal | null;
  onKeep: (typed: Typed) => unknown;
  onLeave: () => void;
}) {
  const foods = useWords('foods');
  const only = diagnoses.length === 1 ? diagnoses[0]?.code : undefined;
  const [body, setBody] = useState<Typed>(start ?? usual(product, under ?? only ?? null));
  const set = (change: Partial<Typed>) => setBody((now) => ({ ...now, ...change }));
  const { dose, often, days, quantity, asNeeded } = body;
  const then = body.then ?? [];
  const [more, setMore] = useState(Boolean(start?.instructions || start?.note || start?.food));
  const check = useLook(prescriptionCheck(place, body, itself), true);
  const setThen = (steps: Step[]) => set({ then: steps });
  const step = (n: number, change: Partial<Step>) => setThen(then.map((s, at) => (at === n ? { ...s, ...change } : s)));
  // What was read last stays until the next is read, so that nothing jumps under the hands.
  const [last, setLast] = useState<Schemas['Checked'] | null>(null);
  if (check.data && check.data !== last) setLast(check.data);
  const told = check.error ? null : (check.data ?? last);
  return (
    <Form refusal={check.error ?? refusal} onSave={() => void onKeep(body)}>
      <Stack>
        <Row>
          <strong>{product.brand}</strong> <Mono>{product.strength}</Mono>
          <Small>
            {product.ingredients.join(' / ')}, {product.form}
          </Small>
          {product.schedule && <Tag $tone="brass">Controlled, schedule {product.schedule}</Tag>}
        </Row>
        {product.routes.length > 1 && (
          <Choose
            label="Way in"
            value={body.route ?? ''}
            onChange={(route) => set({ route })}
            choices={product.routes.map((route) => ({ id: route, label: route }))}
          />
        )}
        <Columns $min={part.doseField}>
          <Field label="Dose" aside={product.unit} value={dose} onChange={(dose) => set({ dose })} name="dose" />
          <Field label="How often" value={often} onChange={(often) => set({ often })} name="often" />
          <Field
            label="How long"
            aside="days"
            value={days ?? ''}
            placeholder={told ? String(told.days) : ''}
            name="days"
            // Days say the quantity, and the quantity the days: the one typed last says the other.
            onChange={(text) => set({ days: text, quantity: '' })}
          />
          <Field
            label="Dispense"
            aside={product.unit}
            value={quantity ?? ''}
            placeholder={told ? String(told.quantity) : ''}
            name="quantity"
            onChange={(text) => set({ quantity: text, ...(then.length === 0 && { days: '' }) })}
          />
          <Field label="Refills" value={body.refills ?? ''} onChange={(refills) => set({ refills })} name="refills" />
        </Columns>
        {then.map((s, n) => (
          <Columns key={n} $min={part.field}>
            <Field label={`Then, dose`} value={s.dose} onChange={(v) => step(n, { dose: v })} />
            <Field label="How often" value={s.often} onChange={(v) => step(n, { often: v })} />
            <Field label="How long" aside="days" value={s.days} onChange={(v) => step(n, { days: v })} />
            <Row style={{ alignSelf: 'end' }}>
              <Button $kind="quiet" onPress={() => setThen(then.filter((_, at) => at !== n))}>
                Take this step away
              </Button>
            </Row>
          </Columns>
        ))}
        <Row>
          <Check label="Only when needed" value={asNeeded ?? false} onChange={(asNeeded) => set({ asNeeded })} />
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
            <Field
              label="Needed for"
              value={body.neededFor ?? ''}
              onChange={(neededFor) => set({ neededFor })}
              name="neededFor"
            />
            <Field
              label="Most a day"
              aside={product.unit}
              value={body.mostPerDay ?? ''}
              onChange={(mostPerDay) => set({ mostPerDay })}
              name="mostPerDay"
            />
          </Columns>
        )}
        {more && (
          <Stack>
            <Pick
              label="With food"
              value={body.food ?? ''}
              onChange={(food) => set({ food })}
              choices={[{ id: '', label: 'Does not matter' }, ...foods]}
            />
            <Field
              label="Instructions"
              hint="As the patient reads them; empty, they follow from the dose."
              value={body.instructions ?? ''}
              placeholder={told?.instructions ?? ''}
              onChange={(instructions) => set({ instructions })}
              name="instructions"
            />
            <Field
              label="Note to the pharmacist"
              value={body.note ?? ''}
              onChange={(note) => set({ note })}
              name="note"
            />
            <Check
              label="The same of another maker will do"
              value={body.substitution ?? true}
              onChange={(substitution) => set({ substitution })}
            />
          </Stack>
        )}
        <Choose
          label="For"
          value={body.diagnosis ?? ''}
          onChange={(diagnosis) => set({ diagnosis })}
          choices={diagnoses.map((d) => ({ id: d.code, label: `${d.code} ${d.title}` }))}
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
          <Button onPress={onLeave}>Leave</Button>
          <Button type="submit" isDisabled={busy}>
            {word}
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
