/** What is and was prescribed to a person: renewed one or many with one signature, changed, stopped. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Check } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { Ending } from '../consult/Ending';
import { Change } from './Change';
import { Draft, type Place, type Under } from './Draft';
import { FindMedicine } from './FindMedicine';
import { Findings } from './Findings';
import { MedicinesPaper, PapersOf } from './Papers';
import { SignDrafts } from './SignDrafts';
import { ToPayer } from './ToPayer';
import { prescriptionsOf } from './queries';

type One = Schemas['PersonPrescription'];

const ended = ['stopped', 'stopping', 'refused'];

export function PrescriptionsOf({
  person,
  visit,
  diagnoses,
}: {
  person: string;
  /** The open visit that it is done in; what is laid ready there is signed there. */
  visit?: string;
  diagnoses?: Under[];
}) {
  const may = useMay();
  const look = useLook(prescriptionsOf(person));
  const [chosen, setChosen] = useState<string[]>([]);
  const [earlier, setEarlier] = useState(false);
  const { run, busy, refusal } = useDo();
  if (!look.data) return unanswered(look) ? <Unanswered look={look} rows={2} /> : null;
  const { items, problems, pharmacyId } = look.data;
  const place: Place = visit ? { visit } : { person };
  const drafts = items.filter((x) => x.item.state === 'draft' && !x.item.visitId);
  const signed = items.filter((x) => x.item.state !== 'draft');
  const now = signed.filter((x) => x.current);
  const past = signed.filter((x) => !x.current);
  const renew = async (ids: string[]) => {
    const body = { ids, ...(visit && { visit }) };
    if (await run(() => api.POST('/api/people/{id}/prescriptions/renew', { params: { path: { id: person } }, body })))
      setChosen([]);
  };
  const row = (x: One) => (
    <Prescribed
      key={x.item.id}
      one={x}
      place={place}
      diagnoses={diagnoses ?? problems}
      busy={busy}
      chosen={chosen.includes(x.item.id)}
      onChoose={(yes) => setChosen(yes ? [...chosen, x.item.id] : chosen.filter((id) => id !== x.item.id))}
      onRenew={() => void renew([x.item.id])}
    />
  );
  return (
    <Stack $gap={2} data-prescriptions-of-person>
      {!visit && may('write_note') && <Anew person={person} problems={problems} />}
      <Row>
        <Spread />
        <MedicinesPaper person={person} />
      </Row>
      {items.length === 0 && <Empty>Nothing was prescribed here yet.</Empty>}
      {now.map(row)}
      {chosen.length > 0 && (
        <Row>
          <Spread />
          <Button isDisabled={busy} onPress={() => void renew(chosen)}>
            Renew {chosen.length}
          </Button>
        </Row>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {past.length > 0 && (
        <Row>
          <Button $kind="quiet" aria-expanded={earlier} onPress={() => setEarlier(!earlier)}>
            {earlier ? 'Hide' : 'Show'} {past.length} earlier
          </Button>
        </Row>
      )}
      {earlier && past.map(row)}
      {!visit && drafts.length > 0 && (
        <Stack $gap={2} data-ready-to-sign>
          <h3>Laid ready, not signed</h3>
          {drafts.map((x) => (
            <Ready key={x.item.id} one={x} place={place} diagnoses={problems} />
          ))}
          {may('write_note') && (
            <SignDrafts
              place={place}
              drafts={drafts.map((x) => x.item)}
              controlled={drafts.filter((x) => x.controlled).map((x) => x.item.id)}
              pharmacy={pharmacyId}
            />
          )}
        </Stack>
      )}
    </Stack>
  );
}

/** A new one without a visit, under one of the person's problems. */
function Anew({ person, problems }: { person: string; problems: Under[] }) {
  const [product, setProduct] = useState<Schemas['ProductView'] | null>(null);
  if (!product) return <FindMedicine label="Prescribe without a visit" onTake={setProduct} />;
  return (
    <Draft
      key={product.code}
      product={product}
      place={{ person }}
      diagnoses={problems}
      under={null}
      onDone={() => setProduct(null)}
    />
  );
}

/** What it says, in a line: how it is taken and how much is dispensed. */
const Says = ({ item }: { item: Schemas['Prescription'] }) => (
  <p>
    {item.instructions} Dispense <Mono>{item.quantity}</Mono> {item.unit}
    {item.quantity > 1 && item.unit !== 'mL' ? 's' : ''}
    {item.refills > 0 && `, ${item.refills} refills`}.
  </p>
);

function Prescribed(p: {
  one: One;
  place: Place;
  diagnoses: Under[];
  busy: boolean;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
  onRenew: () => void;
}) {
  const { one } = p;
  const { item } = one;
  const may = useMay();
  const times = useTimes();
  const wordOf = useWordOf('prescriptionStates');
  const [changing, setChanging] = useState(false);
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: item.id } } };
  const stands = !ended.includes(item.state);
  const signs = may('write_note');
  if (changing) return <Change item={item} place={p.place} diagnoses={p.diagnoses} onDone={() => setChanging(false)} />;
  const told = [
    `${item.prescribedBy}, ${times.full(item.prescribedAt)}`,
    item.diagnosis && `for ${item.diagnosis}`,
    stands && (one.current ? `lasts until ${times.full(one.runsOut)}` : `lasted until ${times.full(one.runsOut)}`),
    one.handedOut[0] &&
      `${one.handedOut[0].inPart ? 'part ' : ''}dispensed ${times.full(one.handedOut[0].on)} (${one.handedOut[0].quantity})`,
    one.insteadOf && `in place of ${one.insteadOf}`,
    one.followedOn && `followed ${times.full(one.followedOn)}`,
    one.ended && `ended ${times.full(one.ended.at)} by ${one.ended.by}: ${one.ended.reason}`,
    !one.available && 'not in the formulary any more',
  ];
  return (
    <div data-prescribed={item.productCode} data-state={item.state}>
      <Row>
        {signs && one.available && (
          <Check label={<strong>{item.medicine}</strong>} value={p.chosen} onChange={p.onChoose} />
        )}
        {!(signs && one.available) && <strong>{item.medicine}</strong>}
        <Tag $tone={stands ? 'kelp' : 'coral'}>{wordOf(item.state)}</Tag>
        <Spread />
        {signs && one.available && (
          <Button $kind="quiet" isDisabled={p.busy} aria-label={`Renew ${item.medicine}`} onPress={p.onRenew}>
            Renew
          </Button>
        )}
        {signs && one.available && stands && (
          <Button $kind="quiet" aria-label={`Change ${item.medicine}`} onPress={() => setChanging(true)}>
            Change
          </Button>
        )}
        {signs && stands && (
          <Ending
            what={item.medicine}
            word="Stop"
            busy={busy}
            refusal={refusal}
            onEnd={(reason) => run(() => api.POST('/api/prescriptions/{id}/stop', { ...path, body: { reason } }))}
          />
        )}
        <PapersOf id={item.id} medicine={item.medicine} />
      </Row>
      <Says item={item} />
      <Small>{told.filter(Boolean).join(' · ')}</Small>
      {one.current && <ToPayer prescription={item.id} />}
    </div>
  );
}

/** A draft without a visit: what it says, what speaks against it, and its fields once more. */
function Ready({ one, place, diagnoses }: { one: One; place: Place; diagnoses: Under[] }) {
  const { item } = one;
  const [changing, setChanging] = useState(false);
  const { run, busy, refusal } = useDo();
  if (changing) return <Change item={item} place={place} diagnoses={diagnoses} onDone={() => setChanging(false)} />;
  return (
    <Stack $gap={1} data-ready={item.productCode}>
      <Row>
        <strong>{item.medicine}</strong>
        {item.diagnosis && <Mono>{item.diagnosis}</Mono>}
        {one.insteadOf && <Small>in place of {one.insteadOf}</Small>}
        <Spread />
        <Button $kind="quiet" aria-label={`Change ${item.medicine}`} onPress={() => setChanging(true)}>
          Change
        </Button>
        <Button
          $kind="quiet"
          isDisabled={busy}
          aria-label={`Remove ${item.medicine}`}
          onPress={() => void run(() => api.DELETE('/api/prescriptions/{id}', { params: { path: { id: item.id } } }))}
        >
          Remove
        </Button>
      </Row>
      <Says item={item} />
      <Findings list={item.warnings} />
      <ToPayer prescription={item.id} />
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </Stack>
  );
}
