/** Policies with the payer's verdict on each fact that was sent. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { amountText, plainDate, useTimes } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { corner, hair, part, space } from '../../ui/tokens';
import { FindPerson } from './FindPerson';

type View = Schemas['CoverageView'];

const Policy = styled.div`
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(3)} ${space(4)};
`;

const relations = [
  { id: '18', label: 'The patient' },
  { id: '01', label: 'Spouse' },
  { id: '19', label: 'Parent (patient is the child)' },
  { id: 'G8', label: 'Somebody else' },
];

const verdictTone = { confirmed: 'kelp', refused: 'coral', not_said: 'plain' } as const;
const verdictWord: Record<string, string> = { confirmed: '✓ confirmed', refused: '✕ refused', not_said: '– not said' };

function One({ view, visit, person }: { view: View; visit?: string | undefined; person: string }) {
  const c = view.coverage;
  const times = useTimes();
  const may = useMay();
  const [editing, setEditing] = useState(false);
  const [number, setNumber] = useState(c.subscriberNumber);
  const [group, setGroup] = useState(c.groupNumber);
  const [ends, setEnds] = useState(c.endsOn ?? '');
  const { run, busy, refusal } = useDo();
  const ask = () =>
    void run(() =>
      api.POST('/api/coverages/{id}/benefits', { params: { path: { id: c.id } }, body: { visitId: visit ?? null } }),
    );
  const save = async () => {
    const copay = c.copayCents === null || c.copayCents === undefined ? '' : amountText(c.copayCents);
    const saved = await run(() =>
      api.PUT('/api/coverages/{id}', {
        params: { path: { id: c.id } },
        body: { version: c.version, subscriberNumber: number, groupNumber: group, endsOn: ends, copay },
      }),
    );
    if (saved) setEditing(false);
  };
  const b = view.benefits;
  const tone = b?.outcome === 'in_force' ? 'kelp' : b?.outcome === 'refused' ? 'coral' : 'brass';
  return (
    <Policy data-coverage={person}>
      <Stack>
        <Row>
          <strong>{view.payer}</strong>
          <span>{c.planName}</span>
          <Mono>{c.subscriberNumber}</Mono>
          {c.groupNumber && <Small>group {c.groupNumber}</Small>}
          {view.countsToday && <Tag $tone="tide">counts today</Tag>}
        </Row>
        <Row>
          <Small>
            Held by {view.holder}, from {plainDate(c.startsOn)}
            {c.endsOn && ` to ${plainDate(c.endsOn)}`}
          </Small>
          <Spread />
          {may('edit_coverage') && (
            <>
              <Button onPress={() => setEditing(!editing)}>Correct or end</Button>
              <Button onPress={ask} isDisabled={busy}>
                {b ? 'Ask again' : 'Ask the payer'}
              </Button>
            </>
          )}
        </Row>
        {editing && (
          <Columns $min={part.field}>
            <Field
              label="Subscriber number"
              value={number}
              onChange={setNumber}
              fault={refusal?.fault('subscriberNumber')}
            />
            <Field label="Group number" value={group} onChange={setGroup} fault={refusal?.fault('groupNumber')} />
            <Field label="Ends on" value={ends} onChange={setEnds} fault={refusal?.fault('endsOn')} />
            <div style={{ alignSelf: 'end' }}>
              <Button onPress={() => void save()} isDisabled={busy}>
                Save policy
              </Button>
            </div>
          </Columns>
        )}
        {refusal && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        {b ? (
          <>
            <Row>
              <Tag $tone={tone}>
                {b.outcome === 'in_force' ? 'In force' : b.outcome === 'refused' ? 'Refused' : 'Asked, waiting'}
              </Tag>
              <span>{b.sentence}</span>
              <Small>asked {times.since(b.check.askedAt)} ago</Small>
            </Row>
            {b.facts.length > 0 && (
              <Table>
                <tbody>
                  {b.facts.map((f) => (
                    <tr key={f.fact}>
                      <td>{f.fact}</td>
                      <td>{f.sent}</td>
                      <td>
                        <Tag $tone={verdictTone[f.verdict as keyof typeof verdictTone]}>{verdictWord[f.verdict]}</Tag>
                      </td>
                      <td>{f.reason}</td>
                    </tr>
                  ))}
                </tbody>
              </Table>
            )}
            {b.plan.length > 0 && <Small>{b.plan.join(' · ')}</Small>}
          </>
        ) : (
          <Row>
            <Tag $tone="brass">Not asked yet</Tag>
          </Row>
        )}
      </Stack>
    </Policy>
  );
}

export function Coverages(p: { person: string; views: View[]; visit?: string; selfPayAt?: string | null }) {
  const { clinic } = useSession();
  const may = useMay();
  const times = useTimes();
  const [adding, setAdding] = useState(false);
  const [payer, setPayer] = useState<string | null>(null);
  const [number, setNumber] = useState('');
  const [group, setGroup] = useState('');
  const [relationship, setRelationship] = useState('18');
  const [holder, setHolder] = useState<Schemas['PersonCard'] | null>(null);
  const { run, busy, refusal } = useDo();
  const add = async () => {
    const added = await run(() =>
      api.POST('/api/people/{id}/coverages', {
        params: { path: { id: p.person } },
        body: {
          payerId: payer,
          subscriberNumber: number,
          groupNumber: group,
          relationship,
          holderId: relationship === '18' ? null : (holder?.id ?? null),
        },
      }),
    );
    if (added) {
      setAdding(false);
      setNumber('');
      await run(() =>
        api.POST('/api/coverages/{id}/benefits', {
          params: { path: { id: added.id } },
          body: { visitId: p.visit ?? null },
        }),
      );
    }
  };
  const selfPay = () => void run(() => api.POST('/api/people/{id}/self-pay', { params: { path: { id: p.person } } }));
  return (
    <Stack $gap={3}>
      {p.views.map((v) => (
        <One key={v.coverage.id} view={v} visit={p.visit} person={p.person} />
      ))}
      {p.views.length === 0 && !p.selfPayAt && <p>No policy is on file.</p>}
      {p.selfPayAt && <Notice>Self-pay: told on {times.full(p.selfPayAt)} that payment is due at the visit.</Notice>}
      {may('edit_coverage') && (
        <Row>
          <Button onPress={() => setAdding(!adding)}>Add a policy</Button>
          {!p.selfPayAt && (
            <Button onPress={selfPay} isDisabled={busy}>
              Self-pay: told that payment is due
            </Button>
          )}
        </Row>
      )}
      {adding && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void add();
          }}
        >
          <Policy>
            <Stack $gap={4}>
              <Columns $min={part.wideField}>
                <Pick
                  label="Payer"
                  value={payer}
                  onChange={setPayer}
                  fault={refusal?.fault('payerId')}
                  choices={clinic.payers.map((x) => ({ id: x.id, label: x.name }))}
                />
                <Field
                  label="Subscriber number"
                  name="subscriberNumber"
                  value={number}
                  onChange={setNumber}
                  fault={refusal?.fault('subscriberNumber')}
                />
                <Field label="Group number" value={group} onChange={setGroup} fault={refusal?.fault('groupNumber')} />
                <Pick label="Policyholder" value={relationship} onChange={setRelationship} choices={relations} />
              </Columns>
              {relationship !== '18' &&
                (holder ? (
                  <p>Held by {holder.name}</p>
                ) : (
                  <FindPerson label="Find the policyholder" onTake={setHolder} />
                ))}
              {refusal?.fault('holderId') && <Notice $tone="coral">{refusal.fault('holderId')}</Notice>}
              {refusal && refusal.problem.fields.length === 0 && <Notice $tone="coral">{refusal.message}</Notice>}
              <Row>
                <Spread />
                <Button $kind="filled" type="submit" isDisabled={busy}>
                  Save and ask the payer
                </Button>
              </Row>
            </Stack>
          </Policy>
        </form>
      )}
    </Stack>
  );
}
