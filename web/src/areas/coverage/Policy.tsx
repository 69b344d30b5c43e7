/** One policy: its numbers, its card, and the payer's verdict on each fact that was sent. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { amountText, plainDate, useTimes } from '../../app/words';
import { Faults, Refused } from '../../ui/Form';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { corner, hair, part, space } from '../../ui/tokens';
import { CardPictures } from './CardPictures';
import { person as personQuery } from '../people/queries';

type View = Schemas['CoverageView'];

export const Box = styled.div`
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(3)} ${space(4)};
`;

const verdictTone = { confirmed: 'kelp', refused: 'coral', not_said: 'plain' } as const;
const verdictWord: Record<string, string> = { confirmed: '✓ confirmed', refused: '✕ refused', not_said: '– not said' };

/** Gives the policy to others of the household, each by name and relationship. */
function CopyToHousehold({ view, person }: { view: View; person: string }) {
  const [open, setOpen] = useState(false);
  const [related, setRelated] = useState<Record<string, string>>({});
  const look = useLook(personQuery(person), open);
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

export function Policy({ view, visit, person }: { view: View; visit?: string | undefined; person: string }) {
  const c = view.coverage;
  const times = useTimes();
  const may = useMay();
  const [editing, setEditing] = useState(false);
  const [facts, setFacts] = useState(false);
  const [number, setNumber] = useState(c.subscriberNumber);
  const [group, setGroup] = useState(c.groupNumber);
  const [ends, setEnds] = useState(c.endsOn ?? '');
  const [also, setAlso] = useState<string[]>(view.shared.map((o) => o.coverageId));
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
        body: { version: c.version, subscriberNumber: number, groupNumber: group, endsOn: ends, copay, also },
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
    <Box data-coverage={person}>
      <Stack>
        <Row>
          <strong>{view.payer}</strong>
          <span>{c.planName}</span>
          <Mono>{c.subscriberNumber}</Mono>
          {c.groupNumber && <Small>group {c.groupNumber}</Small>}
          {view.countsToday && <Tag $tone="tide">{visit ? 'counts for this visit' : 'counts today'}</Tag>}
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
        <CardPictures view={view} />
        {(editing || refusal) && (
          <Faults refusal={refusal}>
            <Stack>
              {editing && (
                <Columns $min={part.field}>
                  <Field name="subscriberNumber" label="Subscriber number" value={number} onChange={setNumber} />
                  <Field name="groupNumber" label="Group number" value={group} onChange={setGroup} />
                  <Field name="endsOn" label="Ends on" value={ends} onChange={setEnds} />
                  <div style={{ alignSelf: 'end' }}>
                    <Button onPress={() => void save()} isDisabled={busy}>
                      Save policy
                    </Button>
                  </div>
                </Columns>
              )}
              {editing && view.shared.length > 0 && (
                <Row>
                  <Small>The same policy, changed along:</Small>
                  {view.shared.map((o) => (
                    <Check
                      key={o.coverageId}
                      label={o.name}
                      value={also.includes(o.coverageId)}
                      onChange={(on) =>
                        setAlso(on ? [...also, o.coverageId] : also.filter((id) => id !== o.coverageId))
                      }
                    />
                  ))}
                </Row>
              )}
              <Refused />
            </Stack>
          </Faults>
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
    </Box>
  );
}
