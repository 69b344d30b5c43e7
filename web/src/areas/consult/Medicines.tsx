/** Medicines as they are taken: what, how, since and until when, from where it is known, why; each state one key. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { useUndo } from '../../app/undo';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { FindMedicine } from '../prescribing/FindMedicine';
import { Former } from './Former';
import { useNoneKnown } from './noneKnown';

type Chart = Schemas['ChartView'];
type Medicine = Schemas['Medicine'];

export function Medicines({ chart }: { chart: Chart }) {
  const person = chart.person.id;
  const may = useMay();
  const { run, busy } = useDo();
  const path = { params: { path: { id: person } } };
  const offerUndo = useUndo();
  const stateWord = useWordOf('medicineStates');
  const sourceWord = useWordOf('sources');
  const [open, setOpen] = useState<string | null>(null);
  const states = useWords('medicineStates');
  const become = (m: Medicine, state: string) => {
    const to = (next: string, until?: string) =>
      api.PUT('/api/people/{id}/medicines/{medicine}', {
        params: { path: { id: person, medicine: m.id } },
        body: { state: next, ...(until !== undefined && { until }) },
      });
    if (state === m.state) return;
    void run(() => to(state)).then(
      (done) => done && offerUndo(`${m.name}: ${stateWord(state)}.`, () => to(m.state, m.until)),
    );
  };
  const noneIs = useNoneKnown(person, run);
  const none = chart.noneKnown.some((n) => n.list === 'medicines');
  const taking = chart.medicines.filter((m) => m.state === 'taking');
  const others = chart.medicines.filter((m) => m.state !== 'taking');
  return (
    <Stack>
      {[...taking, ...others].map((m) => (
        <Row
          key={m.id}
          role="group"
          tabIndex={may('record_vitals') ? 0 : -1}
          aria-label={`${m.name}: ${stateWord(m.state)}; t taking, n not taking, s stopped, u not known`}
          data-medicine={m.name}
          data-medicine-state={m.state}
          onKeyDown={(event) => {
            const state = states.find((x) => x.id.startsWith(event.key.toLowerCase()));
            // Letters that are typed into a field are words.
            const typed = event.target instanceof HTMLInputElement && event.target.type === 'text';
            if (state && may('record_vitals') && !event.altKey && !event.ctrlKey && !typed) become(m, state.id);
          }}
        >
          <Mono>{m.name}</Mono>
          <Small>
            {[
              m.how,
              m.since && `since ${m.since}`,
              m.until && `until ${m.until}`,
              m.source === 'here' ? 'prescribed here' : sourceWord(m.source),
              m.reason,
              m.note,
              !m.productCode && 'in words: not checked',
            ]
              .filter(Boolean)
              .join(' · ')}
          </Small>
          <Spread />
          {may('record_vitals') && (
            <Button
              $kind="quiet"
              aria-expanded={open === m.id}
              aria-label={`More of ${m.name}`}
              onPress={() => setOpen(open === m.id ? null : m.id)}
            >
              More
            </Button>
          )}
          {may('record_vitals') ? (
            <Choose
              label={`How it is with ${m.name}`}
              hideLabel
              value={m.state}
              onChange={(state) => become(m, state)}
              choices={states}
            />
          ) : (
            <Small>{stateWord(m.state)}</Small>
          )}
          {open === m.id && <More key={m.recordedAt} person={person} medicine={m} onDone={() => setOpen(null)} />}
        </Row>
      ))}
      {taking.length === 0 && (
        <Row>
          <Tag $tone={none ? 'kelp' : 'brass'}>{none ? 'None taken' : 'Nobody asked yet'}</Tag>
          <Spread />
          {!none && may('record_vitals') && (
            <Button isDisabled={busy} onPress={() => void noneIs('medicines')}>
              Takes no medicines
            </Button>
          )}
        </Row>
      )}
      {may('record_vitals') && (
        <FindMedicine
          label="Add a medicine"
          onTake={(x) =>
            void run(() => api.POST('/api/people/{id}/medicines', { ...path, body: { productCode: x.code } }))
          }
        />
      )}
    </Stack>
  );
}

function More({ person, medicine: m, onDone }: { person: string; medicine: Medicine; onDone: () => void }) {
  const sources = useWords('sources');
  const [how, setHow] = useState(m.how);
  const [since, setSince] = useState(m.since);
  const [until, setUntil] = useState(m.until);
  const [source, setSource] = useState<string | null>(m.source);
  const [reason, setReason] = useState(m.reason);
  const [note, setNote] = useState(m.note);
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const params = { path: { id: person, medicine: m.id } };
    const body = { state: m.state, how, since, until, source, reason, note };
    if (await run(() => api.PUT('/api/people/{id}/medicines/{medicine}', { params, body }))) onDone();
  };
  return (
    <div style={{ flexBasis: '100%' }} data-more>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.field}>
          <Field label="How it is taken" name="how" value={how} onChange={setHow} />
          <Field label="Since" name="since" value={since} onChange={setSince} placeholder="2019-04" />
          <Field label="Until" name="until" value={until} onChange={setUntil} placeholder="2024" />
          <Pick label="Known" value={source} onChange={setSource} choices={sources} />
          <Field label="Why" name="reason" value={reason} onChange={setReason} />
          <Field label="Note" name="note" value={note} onChange={setNote} />
        </Columns>
        <Refused />
        <Row>
          <Former person={person} entry={m.id} what={m.name} />
          <Spread />
          <Button type="submit" isDisabled={busy}>
            Put down
          </Button>
        </Row>
      </Form>
    </div>
  );
}
