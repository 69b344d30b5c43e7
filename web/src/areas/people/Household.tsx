import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { Button, Pick } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { FindPerson } from './FindPerson';
import { NewParty } from './NewParty';
import type { Registering } from './useRegistration';

type Card = Schemas['PersonCard'];
type View = Schemas['PersonView'];

/** Who answers for the person, and who belongs to the household. */
export function Household({ view, registering: r }: { view: View; registering: Registering }) {
  const [finding, setFinding] = useState<'party' | 'member' | null>(null);
  const [adding, setAdding] = useState<string | null>(null);
  const [member, setMember] = useState<Card | null>(null);
  const [kind, setKind] = useState('parent');
  const relations = useWords('relations');
  const { run, refusal } = useDo();
  const navigate = useNavigate();
  const id = view.person.id;
  const path = { path: { id } };
  const answer = (party: string | null) => {
    r.change({ responsibleId: party });
    void r.flush().then((done) => done && setFinding(null));
    setAdding(null);
  };
  const link = async (other: string) => {
    const body = { otherId: other, kind };
    if (await run(() => api.POST('/api/people/{id}/household', { params: path, body }))) {
      setMember(null);
      setFinding(null);
    }
  };
  return (
    <Stack $gap={4}>
      <Row>
        <span>
          Responsible party: <strong>{view.responsible?.name ?? 'the patient'}</strong>
          {view.responsible && !view.responsible.patient && <Small> (no patient here)</Small>}
        </span>
        <Spread />
        <Button onPress={() => setFinding(finding === 'party' ? null : 'party')}>Choose who answers</Button>
        {view.responsible && <Button onPress={() => answer(null)}>The patient</Button>}
      </Row>
      {r.refusal?.is('responsible-party') && (
        <Notice $tone="coral" role="alert">
          {r.refusal.message}
        </Notice>
      )}
      {finding === 'party' && adding === null && (
        <FindPerson label="Find the responsible party" onTake={(found) => answer(found.id)} onNew={setAdding} />
      )}
      {finding === 'party' && adding !== null && (
        <NewParty as="Party" typed={adding} onMade={(made) => answer(made.id)} onBack={() => setAdding(null)} />
      )}
      <Stack $gap={1}>
        {view.household.map((m) => (
          <Row key={m.person.id} data-member={m.person.recordNumber}>
            <button
              type="button"
              style={{ all: 'unset', cursor: 'pointer', fontWeight: 600 }}
              onClick={() => navigate(`/people/${m.person.id}`)}
            >
              {m.person.name}
            </button>
            <Small>{[m.person.age, ...m.ties].filter(Boolean).join(' · ')}</Small>
            {m.sameAddress && <Tag>same address</Tag>}
            <Spread />
            {m.linked && (
              <Button
                $kind="quiet"
                aria-label={`Unlink ${m.person.name}`}
                onPress={() =>
                  void run(() =>
                    api.DELETE('/api/people/{id}/household/{other}', { params: { path: { id, other: m.person.id } } }),
                  )
                }
              >
                Unlink
              </Button>
            )}
          </Row>
        ))}
        {view.household.length === 0 && <Small>Nobody of the household is known yet.</Small>}
      </Stack>
      {finding === 'member' && !member && <FindPerson label="Find somebody of the household" onTake={setMember} />}
      {finding === 'member' && member && (
        <Row $align="end">
          <span>
            <strong>{member.name}</strong> is the patient’s
          </span>
          <Pick label="Relation" hideLabel choices={relations} value={kind} onChange={setKind} />
          <Button onPress={() => void link(member.id)}>Link</Button>
        </Row>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {finding !== 'member' && (
        <Row>
          <Button onPress={() => setFinding('member')}>Add to the household</Button>
        </Row>
      )}
    </Stack>
  );
}
