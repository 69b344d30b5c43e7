/** One policy: its numbers, its card, and the payer's verdict on each fact that was sent. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { plainDate, useTimes } from '../../app/words';
import { Faults, Refused } from '../../ui/Form';
import { Button, Check, Choose } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { corner, hair, part, space } from '../../ui/tokens';
import { CardPictures } from './CardPictures';
import { formOf, PolicyFields, type PolicyTyped, typedOf } from './PolicyFields';
import { person as personQuery } from '../people/queries';

type View = Schemas['CoverageView'];

export const Box = styled.div`
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(3)} ${space(4)};
`;

const verdictTone = { confirmed: 'kelp', refused: 'coral', not_said: 'plain' } as const;
const verdictWord: Record<string, string> = { confirmed: '✓ confirmed', refused: '✕ refused', not_said: '– not said' };

const outcomeWord: Record<string, string> = {
  in_force: 'In force',
  refused: 'Refused',
  no_answer: 'No answer',
  other_day: 'Not asked about this day',
};

/** Gives the policy to others of the household, each by name and relationship. */
function CopyToHousehold({ view, person }: { view: View; person: string }) {
  const [open, setOpen] = useState(false);
  const [related, setRelated] = useState<Record<string, string>>({});
  const look = useLook(personQuery(person), open);
  const { run, busy, refusal } = useDo();
  const chosen = Object.entries(related).filter(([, r]) => r !== '');
  const copy = async (beside: string) => {
    const body = chosen.map(([personId, relationship]) => ({ personId, relationship, beside }));
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
          {refusal?.is('policy-beside') && (
            <Row>
              <Spread />
              <Button isDisabled={busy} onPress={() => void copy('replace')}>
                Replace it from today on
              </Button>
              <Button isDisabled={busy} onPress={() => void copy('next_rank')}>
                Take the next rank
              </Button>
            </Row>
          )}
          <Row>
            <Spread />
            <Button $kind="filled" onPress={() => void copy('')} isDisabled={busy || chosen.length === 0}>
              Copy the policy
            </Button>
          </Row>
        </Stack>
      </Dialog>
    </>
  );
}

export function Policy({
  view,
  visit,
  person,
  unused,
}: {
  view: View;
  visit?: string | undefined;
  person: string;
  /** The visit is self-pay. */
  unused: boolean;
}) {
  const c = view.coverage;
  const times = useTimes();
  const may = useMay();
  const [editing, setEditing] = useState(false);
  const [facts, setFacts] = useState(false);
  const [typed, setTyped] = useState(() => typedOf(view));
  // How it stood before it was corrected here, to go back to.
  const [before, setBefore] = useState<PolicyTyped | null>(null);
  const [also, setAlso] = useState<string[]>(view.shared.map((o) => o.coverageId));
  const { run, busy, refusal } = useDo();
  const ask = () =>
    void run(() =>
      api.POST('/api/coverages/{id}/benefits', { params: { path: { id: c.id } }, body: { visitId: visit ?? null } }),
    );
  const put = (policy: PolicyTyped) =>
    run(() =>
      api.PUT('/api/coverages/{id}', {
        params: { path: { id: c.id } },
        body: { version: c.version, ...formOf(policy), also },
      }),
    );
  const save = async () => {
    const was = typedOf(view);
    if (!(await put(typed))) return;
    setBefore(was);
    setEditing(false);
  };
  const takeBack = async () => {
    if (!before || !(await put(before))) return;
    setTyped(before);
    setBefore(null);
  };
  const b = view.benefits;
  const asking = may('edit_coverage') && (
    <Button onPress={ask} isDisabled={busy} data-next>
      {b ? 'Ask again' : 'Ask the payer'}
    </Button>
  );
  // What was said of another day says nothing of this one.
  const outcome = b && (view.askedAboutDay || b.outcome !== 'in_force' ? b.outcome : 'other_day');
  const tone = outcome === 'in_force' ? 'kelp' : outcome === 'refused' ? 'coral' : 'brass';
  return (
    <Box data-coverage={person}>
      <Stack>
        <Row>
          <strong>{view.payer}</strong>
          <span>{c.planName}</span>
          <Mono>{c.subscriberNumber}</Mono>
          {c.groupNumber && <Small>group {c.groupNumber}</Small>}
          {view.countsToday && !unused && <Tag $tone="tide">{visit ? 'counts for this visit' : 'counts today'}</Tag>}
        </Row>
        <Row>
          <Small>
            Held by {view.holder}, from {plainDate(c.startsOn)}
            {c.endsOn && ` to ${plainDate(c.endsOn)}`}
          </Small>
          <Spread />
          {may('edit_coverage') && (
            <>
              <Button
                onPress={() => {
                  setTyped(typedOf(view));
                  setEditing(!editing);
                }}
              >
                Correct or end
              </Button>
              <CopyToHousehold view={view} person={person} />
            </>
          )}
        </Row>
        <CardPictures view={view} />
        {before && (
          <Notice $tone="kelp" role="status">
            <Row>
              <span>The policy was corrected.</span>
              <Spread />
              <Button isDisabled={busy} onPress={() => void takeBack()}>
                Undo
              </Button>
            </Row>
          </Notice>
        )}
        {(editing || refusal) && (
          <Faults refusal={refusal}>
            <Stack>
              {editing && (
                <>
                  <PolicyFields typed={typed} onChange={setTyped} />
                  <Row>
                    <Spread />
                    <Button onPress={() => void save()} isDisabled={busy}>
                      Save policy
                    </Button>
                  </Row>
                </>
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
              <Tag $tone={tone}>{outcomeWord[outcome ?? ''] ?? 'Asked, waiting'}</Tag>
              <span>{b.sentence}</span>
              <Small>asked {times.since(b.check.askedAt)} ago</Small>
              <Spread />
              {asking}
            </Row>
            {view.saidBefore && (
              <Small data-said-before>
                Before that the payer said: {view.saidBefore.sentence} (answered{' '}
                {times.full(view.saidBefore.check.answeredAt ?? view.saidBefore.check.askedAt)})
              </Small>
            )}
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
