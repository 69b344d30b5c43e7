/** What somebody does not bear: with its kind, since when and from where, and what the checks make of it. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { typedSince } from '../../app/typedSince';
import { useUndo } from '../../app/undo';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Columns, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Ended } from './Ended';
import { Ending } from './Ending';
import { Former } from './Former';
import { useNoneKnown } from './noneKnown';

type Chart = Schemas['ChartView'];
type Allergy = Chart['allergies'][number];

export function Allergies({ chart }: { chart: Chart }) {
  const person = chart.person.id;
  const may = useMay();
  const kindWord = useWordOf('allergyKinds');
  const sourceWord = useWordOf('sources');
  const { run, busy, refusal } = useDo();
  const none = chart.noneKnown.some((n) => n.list === 'allergies');
  const offerUndo = useUndo();
  const noneIs = useNoneKnown(person, run);
  const end = async (a: Allergy, reason: string) => {
    const params = { path: { id: person, allergy: a.id } };
    if (await run(() => api.POST('/api/people/{id}/allergies/{allergy}/end', { params, body: { reason } })))
      offerUndo(`The allergy to ${a.substance} is ended.`, () =>
        api.POST('/api/people/{id}/allergies/{allergy}/not-ended', { params }),
      );
  };
  return (
    <Stack>
      {chart.allergies.map((a) => {
        const group = chart.allergiesRead.find((r) => r.id === a.id)?.group;
        return (
          <Row key={a.id} data-allergy={a.substance}>
            <Tag $tone="coral">{a.substance}</Tag>
            <span>{[a.reaction, a.severity].filter(Boolean).join(', ')}</span>
            <Small>
              {[
                a.kind !== 'allergy' && kindWord(a.kind),
                a.since && `since ${a.since}`,
                sourceWord(a.source),
                group === 'no medicine'
                  ? 'no medicine'
                  : group
                    ? `checked as ${group}`
                    : 'in words: no medicine is checked against it',
              ]
                .filter(Boolean)
                .join(' · ')}
            </Small>
            <Spread />
            <Former person={person} entry={a.id} what={a.substance} />
            {may('record_vitals') && (
              <Ending
                what={`allergy to ${a.substance}`}
                busy={busy}
                refusal={refusal}
                onEnd={(reason) => end(a, reason)}
              />
            )}
          </Row>
        );
      })}
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
      <Ended
        person={person}
        list="allergies"
        busy={busy}
        onBack={(e) =>
          void run(() =>
            api.POST('/api/people/{id}/allergies/{allergy}/not-ended', {
              params: { path: { id: person, allergy: e.id } },
            }),
          )
        }
      />
      {may('record_vitals') && <AddAllergy person={person} />}
    </Stack>
  );
}

function AddAllergy({ person }: { person: string }) {
  const kinds = useWords('allergyKinds');
  const sources = useWords('sources');
  const [substance, setSubstance] = useState('');
  const [reaction, setReaction] = useState('');
  const [severity, setSeverity] = useState('');
  const [kind, setKind] = useState<string | null>('allergy');
  const [source, setSource] = useState<string | null>('told');
  const [since, setSince] = useState('');
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const body = { substance, reaction, severity, kind: kind ?? '', source: source ?? '', since };
    if (await run(() => api.POST('/api/people/{id}/allergies', { params: { path: { id: person } }, body }))) {
      setSubstance(typedSince(substance));
      setReaction(typedSince(reaction));
      setSince(typedSince(since));
      // How bad the next one is has to be said anew.
      setSeverity('');
    }
  };
  return (
    <Form refusal={refusal} onSave={() => void add()}>
      <Columns $min={part.field}>
        <Field name="substance" label="Substance" value={substance} onChange={setSubstance} />
        <Field label="Reaction" name="reaction" value={reaction} onChange={setReaction} />
        <Pick label="Kind" value={kind} onChange={setKind} choices={kinds} />
        <Field label="Since" name="since" value={since} onChange={setSince} placeholder="2019" />
        <Pick label="Known" value={source} onChange={setSource} choices={sources} />
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
  );
}
