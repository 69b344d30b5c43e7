/** Policies with the payer's verdict on each fact that was sent. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { amountText, plainDate, useTimes } from '../../app/words';
import { Button, Choose, Dialog, Field, Pick } from '../../ui/controls';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { color, corner, hair, innerCorner, part, ringGap, size, space } from '../../ui/tokens';
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

/** Gives the policy to others of the household, each by name and relationship. */
function CopyToHousehold({ view, person }: { view: View; person: string }) {
  const [open, setOpen] = useState(false);
  const [related, setRelated] = useState<Record<string, string>>({});
  const look = useLook(
    ['person', person],
    () => api.GET('/api/people/{id}', { params: { path: { id: person } } }),
    open,
  );
  const { run, busy, refusal } = useDo();
  const chosen = Object.entries(related).filter(([, r]) => r !== '');
  const copy = async () => {
    const body = chosen.map(([personId, relationship]) => ({ personId, relationship }));
    const params = { path: { id: view.coverage.id } };
    if (await run(() => api.POST('/api/coverages/{id}/copy', { params, body }))) setOpen(false);
  };
  return (
    <>
      <Button onPress={() => setOpen(true)}>Copy to the household</Button>
      <Dialog
        title={`Who else is covered by ${view.payer} ${view.coverage.subscriberNumber}`}
        open={open}
        onClose={() => setOpen(false)}
      >
        <Stack>
          {look.data?.household.map((m) => (
            <Row key={m.person.id}>
              <span style={{ minWidth: part.wideField }}>{m.person.name}</span>
              <Choose
                label={`Relationship of ${m.person.name} to the policyholder`}
                hideLabel
                choices={[
                  { id: '', label: 'Not' },
                  { id: '19', label: 'Child' },
                  { id: '01', label: 'Spouse' },
                  { id: 'G8', label: 'Other' },
                ]}
                value={related[m.person.id] ?? ''}
                onChange={(r) => setRelated((all) => ({ ...all, [m.person.id]: r }))}
              />
            </Row>
          ))}
          {look.data?.household.length === 0 && <p>Nobody of the household is known; link them in the registration.</p>}
          {refusal && (
            <Notice $tone="coral" role="alert">
              {refusal.message}
            </Notice>
          )}
          <Row>
            <Spread />
            <Button
              $kind="filled"
              data-main-action
              onPress={() => void copy()}
              isDisabled={busy || chosen.length === 0}
            >
              Copy the policy
            </Button>
          </Row>
        </Stack>
      </Dialog>
    </>
  );
}

const Lane = styled.div`
  display: grid;
  grid-template-columns: ${part.field} 1fr;
  align-items: center;
  font-size: ${size.small};
  color: ${color.quiet};
`;

const Track = styled.div`
  position: relative;
  height: ${space(6)};
  border-bottom: ${hair};
`;

const Bar = styled.div`
  position: absolute;
  top: ${space(1)};
  bottom: ${space(1)};
  overflow: hidden;
  white-space: nowrap;
  padding: 0 ${space(1.5)};
  border-radius: ${innerCorner};
  border-left: ${ringGap} solid ${color.indigo};
  background: ${color.selected};
  color: ${color.ink};
  &[data-counts='false'] {
    background: ${color.well};
    border-color: ${color.quiet};
  }
`;

const Today = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: ${ringGap} solid ${color.coral};
`;

const rankWord: Record<string, string> = { P: 'First policy', S: 'Second policy', T: 'Third policy' };

/** Which policy held when: a lane for each rank, and today. */
function Timeline({ views }: { views: View[] }) {
  const { now } = useSession();
  const day = (iso: string) => new Date(`${iso}T12:00:00Z`).getTime();
  const today = now.getTime();
  const from = Math.min(...views.map((v) => day(v.coverage.startsOn)), today);
  const to = today + (today - from) * 0.15 + 86_400_000;
  const at = (t: number) => `${Math.min(100, Math.max(0, ((t - from) / (to - from)) * 100))}%`;
  return (
    <div role="img" aria-label="Policies over time">
      {Object.keys(rankWord)
        .filter((rank) => views.some((v) => v.coverage.rank === rank))
        .map((rank) => (
          <Lane key={rank}>
            <span>{rankWord[rank]}</span>
            <Track>
              {views
                .filter((v) => v.coverage.rank === rank)
                .map((v) => {
                  const end = v.coverage.endsOn ? Math.min(day(v.coverage.endsOn), to) : to;
                  const left = at(day(v.coverage.startsOn));
                  return (
                    <Bar
                      key={v.coverage.id}
                      data-counts={v.countsToday}
                      style={{ left, width: `calc(${at(end)} - ${left})` }}
                      title={`${v.payer} ${v.coverage.subscriberNumber}`}
                    >
                      {v.payer}, from {plainDate(v.coverage.startsOn)}
                      {v.coverage.endsOn && ` to ${plainDate(v.coverage.endsOn)}`}
                    </Bar>
                  );
                })}
              <Today style={{ left: at(today) }} />
            </Track>
          </Lane>
        ))}
    </div>
  );
}

function One({ view, visit, person }: { view: View; visit?: string | undefined; person: string }) {
  const c = view.coverage;
  const times = useTimes();
  const may = useMay();
  const [editing, setEditing] = useState(false);
  const [facts, setFacts] = useState(false);
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
  const asking = may('edit_coverage') && (
    <Button onPress={ask} isDisabled={busy}>
      {b ? 'Ask again' : 'Ask the payer'}
    </Button>
  );
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
              <CopyToHousehold view={view} person={person} />
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
              <Spread />
              {asking}
            </Row>
            {b.outcome === 'in_force' && b.facts.length > 0 && (
              <Row>
                <Button $kind="quiet" onPress={() => setFacts(!facts)} aria-expanded={facts}>
                  {facts ? 'Hide what was sent' : `What was sent and confirmed (${b.facts.length})`}
                </Button>
              </Row>
            )}
            {b.facts.length > 0 && (facts || b.outcome !== 'in_force') && (
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
            <Spread />
            {asking}
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
  const [rank, setRank] = useState('P');
  const [plan, setPlan] = useState('');
  const [starts, setStarts] = useState('');
  const [ends, setEnds] = useState('');
  const [copay, setCopay] = useState('');
  const [past, setPast] = useState(false);
  const today = clinic.today;
  const ended = p.views.filter((v) => v.coverage.endsOn && v.coverage.endsOn < today);
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
          rank,
          planName: plan,
          startsOn: starts,
          endsOn: ends,
          copay,
          knowingly: refusal?.is('subscriber-known') ?? false,
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
      {p.views.length > 1 && <Timeline views={p.views} />}
      {p.views
        .filter((v) => past || !ended.includes(v))
        .map((v) => (
          <One key={v.coverage.id} view={v} visit={p.visit} person={p.person} />
        ))}
      {ended.length > 0 && (
        <Row>
          <Button $kind="quiet" onPress={() => setPast(!past)} aria-expanded={past}>
            {past ? 'Hide ended policies' : `Ended policies (${ended.length})`}
          </Button>
        </Row>
      )}
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
                <Pick
                  label="Rank"
                  value={rank}
                  onChange={setRank}
                  choices={Object.entries(rankWord).map(([id, label]) => ({ id, label }))}
                />
                <Field label="Plan" value={plan} onChange={setPlan} fault={refusal?.fault('planName')} />
                <Field
                  label="In force from"
                  value={starts}
                  onChange={setStarts}
                  placeholder="start of this year"
                  fault={refusal?.fault('startsOn')}
                />
                <Field
                  label="Until"
                  value={ends}
                  onChange={setEnds}
                  placeholder="open"
                  fault={refusal?.fault('endsOn')}
                />
                <Field label="Copay" value={copay} onChange={setCopay} fault={refusal?.fault('copay')} />
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
