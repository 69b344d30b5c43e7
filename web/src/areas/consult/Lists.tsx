/** The lists of a person as they are looked through and changed in a visit: measurements, allergies, medicines, problems. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Button, Choose, Field, Finder } from '../../ui/controls';
import { Columns, Mono, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Trend } from '../../ui/Trend';
import { part } from '../../ui/tokens';
import { products } from '../prescribing/queries';
import { standingTone } from './QuickLine';

type Chart = Schemas['ChartView'];
type Medicine = Schemas['Medicine'];

export function Measurements({ chart, visit }: { chart: Chart; visit?: string }) {
  const times = useTimes();
  const may = useMay();
  const { run } = useDo();
  const { clinic } = useSession();
  const kinds = clinic.words.measures.filter((k) => chart.measurements.some((m) => m.measure === k.id));
  if (kinds.length === 0) return <p>Nothing measured yet.</p>;
  return (
    <Table data-tight>
      <thead>
        <tr>
          <th>Measure</th>
          <th>Latest</th>
          <th />
          <th className="wide">When</th>
          <th className="wide">Earlier</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {kinds.map(({ id: kind, label, unit }) => {
          const all = chart.measurements.filter((m) => m.measure === kind);
          const latest = all[0];
          if (!latest) return null;
          return (
            <tr key={kind} data-measure={kind}>
              <td>{label}</td>
              <td className="number">
                {kind === 'visual_acuity' && '20/'}
                {latest.tenths / 10} <Small>{unit}</Small>
              </td>
              <td>
                {latest.standing !== 'usual' && (
                  <Tag $tone={standingTone[latest.standing]}>
                    {latest.standing === 'unjudged'
                      ? 'age not known: not judged'
                      : latest.standing === 'high'
                        ? '▲ high'
                        : '▼ low'}
                  </Tag>
                )}
                {latest.manner && <Small> {latest.manner}</Small>}
                {latest.typed && <Small> from {latest.typed}</Small>}
              </td>
              <td className="wide">
                <Small>{times.full(latest.takenAt)}</Small>
              </td>
              <td className="wide">
                <Trend values={all.map((m) => m.tenths / 10).reverse()} label={`${label}, earlier values`} />
              </td>
              <td>
                {visit && latest.visitId === visit && may('record_vitals') && (
                  <Button
                    $kind="quiet"
                    aria-label={`Strike ${label}`}
                    onPress={() =>
                      void run(() =>
                        api.DELETE('/api/visits/{id}/measurements/{measurement}', {
                          params: { path: { id: visit, measurement: latest.id } },
                        }),
                      )
                    }
                  >
                    Strike
                  </Button>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </Table>
  );
}

/** Says that none is known, and offers to take it back. */
function useNoneKnown(person: string, run: ReturnType<typeof useDo>['run']) {
  const offerUndo = useUndo();
  return async (list: 'allergies' | 'medicines' | 'problems') => {
    const params = { path: { id: person } };
    const back = () => api.DELETE('/api/people/{id}/none-known/{list}', { params: { path: { id: person, list } } });
    if (await run(() => api.POST('/api/people/{id}/none-known', { params, body: { list } })))
      offerUndo(
        { allergies: 'No allergies known.', medicines: 'Takes no medicines.', problems: 'No problems known.' }[list],
        back,
      );
  };
}

export function Allergies({ chart }: { chart: Chart }) {
  const person = chart.person.id;
  const may = useMay();
  const [substance, setSubstance] = useState('');
  const [reaction, setReaction] = useState('');
  const [severity, setSeverity] = useState('');
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: person } } };
  const none = chart.noneKnown.some((n) => n.list === 'allergies');
  const offerUndo = useUndo();
  const endAllergy = async (a: Chart['allergies'][number]) => {
    const params = { path: { id: person, allergy: a.id } };
    if (await run(() => api.DELETE('/api/people/{id}/allergies/{allergy}', { params })))
      offerUndo(`The allergy to ${a.substance} is ended.`, () =>
        api.POST('/api/people/{id}/allergies/{allergy}/not-ended', { params }),
      );
  };
  const noneIs = useNoneKnown(person, run);
  const add = async () => {
    if (await run(() => api.POST('/api/people/{id}/allergies', { ...path, body: { substance, reaction, severity } }))) {
      setSubstance('');
      setReaction('');
    }
  };
  return (
    <Stack>
      {chart.allergies.map((a) => (
        <Row key={a.id}>
          <Tag $tone="coral">{a.substance}</Tag>
          <span>{[a.reaction, a.severity].filter(Boolean).join(', ')}</span>
          <Spread />
          {may('record_vitals') && (
            <Button $kind="quiet" aria-label={`End allergy to ${a.substance}`} onPress={() => void endAllergy(a)}>
              End
            </Button>
          )}
        </Row>
      ))}
      {chart.allergies.length === 0 && (
        <Row>
          <Tag $tone={none ? 'kelp' : 'brass'}>{none ? 'None known' : 'Nobody asked yet'}</Tag>
          <Spread />
          {!none && may('record_vitals') && (
            <Button isDisabled={busy} onPress={() => void noneIs('allergies')}>
              No allergies known
            </Button>
          )}
        </Row>
      )}
      {may('record_vitals') && (
        <Form refusal={refusal} onSave={() => void add()}>
          <Columns $min={part.field}>
            <Field name="substance" label="Substance" value={substance} onChange={setSubstance} />
            <Field label="Reaction" name="reaction" value={reaction} onChange={setReaction} />
          </Columns>
          <Row>
            <Choose
              label="Severity"
              hideLabel
              value={severity}
              onChange={setSeverity}
              choices={['mild', 'moderate', 'severe'].map((id) => ({ id, label: id }))}
            />
            <Spread />
            <Button type="submit" isDisabled={busy || substance.trim() === ''}>
              Add allergy
            </Button>
          </Row>
          <Refused />
        </Form>
      )}
    </Stack>
  );
}

export function Medicines({ chart }: { chart: Chart }) {
  const person = chart.person.id;
  const may = useMay();
  const [text, setText] = useState('');
  const { run, busy } = useDo();
  const path = { params: { path: { id: person } } };
  const offerUndo = useUndo();
  const stateWord = useWordOf('medicineStates');
  const states = useWords('medicineStates');
  const become = (m: Medicine, state: string) => {
    const to = (next: string) =>
      api.PUT('/api/people/{id}/medicines/{medicine}', {
        params: { path: { id: person, medicine: m.id } },
        body: { state: next },
      });
    if (state === m.state) return;
    void run(() => to(state)).then((done) => done && offerUndo(`${m.name}: ${stateWord(state)}.`, () => to(m.state)));
  };
  const noneIs = useNoneKnown(person, run);
  const none = chart.noneKnown.some((n) => n.list === 'medicines');
  const found = useLook(products(text), text.trim().length > 2);
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
            if (state && may('record_vitals') && !event.altKey && !event.ctrlKey) become(m, state.id);
          }}
        >
          <Mono>{m.name}</Mono>
          <Small>
            {[m.how, m.since && `since ${m.since}`, m.note, !m.productCode && 'in words: not checked']
              .filter(Boolean)
              .join(' · ')}
          </Small>
          <Spread />
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
        <Finder
          label="Add a medicine"
          value={text}
          onChange={setText}
          items={text.trim().length > 2 ? (found.data ?? []) : []}
          keyOf={(x) => x.code}
          textOf={(x) => x.brand}
          placeholder="Three letters of an ingredient or brand"
          onTake={(x) => {
            setText('');
            void run(() => api.POST('/api/people/{id}/medicines', { ...path, body: { productCode: x.code } }));
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
    </Stack>
  );
}

/** What stays with somebody; a statement when there is none. */
export function Problems({ chart }: { chart: Chart }) {
  const may = useMay();
  const { run, busy } = useDo();
  const stateWord = useWordOf('problemStates');
  const noneIs = useNoneKnown(chart.person.id, run);
  const none = chart.noneKnown.some((n) => n.list === 'problems');
  return (
    <Stack data-problems>
      {chart.problems.map((p) => (
        <Row key={p.id} style={{ flexWrap: 'nowrap' }}>
          <Mono>{p.code}</Mono>
          <span style={{ flex: 1, minWidth: 0 }}>{p.title}</span>
          <Small>
            {[p.state !== 'active' && stateWord(p.state), p.since && `since ${p.since}`].filter(Boolean).join(', ')}
          </Small>
        </Row>
      ))}
      {chart.problems.length === 0 && (
        <Row>
          <Tag $tone={none ? 'kelp' : 'brass'}>{none ? 'None known' : 'Nobody asked yet'}</Tag>
          <Spread />
          {!none && may('record_vitals') && (
            <Button isDisabled={busy} onPress={() => void noneIs('problems')}>
              No problems known
            </Button>
          )}
        </Row>
      )}
    </Stack>
  );
}
