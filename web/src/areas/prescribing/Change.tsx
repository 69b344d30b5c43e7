/** A prescription taken up again: a draft is written anew, one that was signed gets another in its place. */

import { type Schemas, useLook } from '../../api/client';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { Draft, type Place, type Under } from './Draft';
import { takenUp } from './queries';

export function Change(p: {
  item: Schemas['Prescription'];
  place: Place;
  diagnoses: Under[];
  onDone: (kept?: string) => void;
}) {
  const { item } = p;
  const how = [item.productCode, item.dosage, item.instructions, item.quantity, item.refills, item.note];
  const look = useLook(takenUp(item.id, [...how, item.substitution, item.diagnosis]));
  if (!look.data) return unanswered(look) ? <Unanswered look={look} rows={3} /> : null;
  const draft = p.item.state === 'draft';
  const { product, form } = look.data;
  return (
    <Draft
      product={product}
      place={p.place}
      diagnoses={under(p.diagnoses, form.diagnosis)}
      under={form.diagnosis ?? null}
      start={draft ? form : { ...form, replaces: p.item.id, diagnosis: here(p.place, p.diagnoses, form.diagnosis) }}
      {...(draft && { itself: p.item.id })}
      word={draft ? 'Keep' : 'Lay ready in its place'}
      onDone={p.onDone}
    />
  );
}

/** In a visit it lies under what is handled there; without one it may stay under what it was for. */
const here = (place: Place, diagnoses: Under[], code: string | null | undefined) =>
  'person' in place || diagnoses.some((d) => d.code === code) ? (code ?? null) : null;

const under = (diagnoses: Under[], code: string | null | undefined) =>
  !code || diagnoses.some((d) => d.code === code) ? diagnoses : [...diagnoses, { code, title: 'as it was' }];
