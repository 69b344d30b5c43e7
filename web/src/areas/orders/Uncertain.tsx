/** A result whose person is not certain: what the laboratory says of them beside each who may be meant. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { plainDate, sexWord, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { color, corner, hair, part, space } from '../../ui/tokens';
import { FindPerson } from '../people/FindPerson';
import { candidates } from './queries';

type View = Schemas['ResultView'];
type Candidate = Schemas['CandidateView'];

const Side = styled.div`
  display: grid;
  grid-template-columns: minmax(${part.field}, max-content) minmax(0, 1fr) minmax(0, 1fr);
  gap: ${space(1)} ${space(4)};
  padding: ${space(3)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  [data-differs='true'] {
    text-decoration: underline wavy ${color.coral};
    text-underline-offset: 4px;
  }
`;

/** The facts by which two people are told apart, as the laboratory has them and as the clinic has them. */
function Beside({ named, one }: { named: Schemas['NamedPerson']; one: Candidate }) {
  const [last, first] = one.person.name.split(', ');
  const rows: [string, string, string][] = [
    ['Last name', named.last, last ?? ''],
    ['First name', named.first, first ?? ''],
    ['Birth date', plainDate(named.birthDate), plainDate(one.person.birthDate)],
    ['Sex', named.sex ? sexWord(named.sex) : '', one.person.sex ? sexWord(one.person.sex) : ''],
    ['Record number', named.recordNumber, one.person.recordNumber],
  ];
  return (
    <Side>
      <span />
      <Small>The laboratory says</Small>
      <Small>The clinic knows</Small>
      {rows.map(([label, theirs, ours]) => (
        <Row key={label} style={{ display: 'contents' }}>
          <Small>{label}</Small>
          <span>{theirs || <Small>not said</Small>}</span>
          <span data-differs={Boolean(theirs) && theirs.toLowerCase() !== ours.toLowerCase()}>
            {ours || <Small>not known</Small>}
          </span>
        </Row>
      ))}
    </Side>
  );
}

export function Uncertain(p: { view: View; readOnly: boolean }) {
  const { discreet } = useSession();
  // Two people side by side are all that discreet mode hides.
  if (discreet)
    return (
      <Notice $tone="brass">The person is not certain. Discreet mode is on; press d to compare and file it.</Notice>
    );
  return <Compared {...p} />;
}

function Compared({ view, readOnly }: { view: View; readOnly: boolean }) {
  const look = useLook(candidates(view.report.id), !readOnly);
  const [searching, setSearching] = useState(false);
  const [found, setFound] = useState<Schemas['PersonCard'] | null>(null);
  const { run, busy, refusal } = useDo();
  const file = (person: string, order: string | null, reason: string) =>
    void run(() =>
      api.POST('/api/results/{id}/match', {
        params: { path: { id: view.report.id } },
        body: { personId: person, orderId: order, reason },
      }),
    );
  const last = view.filings[0];
  return (
    <Stack $gap={3}>
      <Notice $tone="brass">
        The person is not certain. Nothing is filed by guess: compare, then file it yourself.
        {last && !last.filed && ` ${last.doneBy} took it away from a chart: ${last.reason}`}
      </Notice>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {!readOnly && unanswered(look) && <Unanswered look={look} rows={4} />}
      {look.data?.length === 0 && <Small>Nobody here is like the one whom the laboratory names.</Small>}
      {look.data?.map((c) => (
        <One key={c.person.id} c={c} named={view.report.subject} busy={busy} file={file} />
      ))}
      {!readOnly && !searching && (
        <Row>
          <Button $kind="quiet" onPress={() => setSearching(true)}>
            Somebody else
          </Button>
        </Row>
      )}
      {!readOnly && searching && (
        <>
          <FindPerson label="Somebody else" onTake={setFound} />
          {found && (
            <Row>
              <span>
                {found.name}, {plainDate(found.birthDate)}, {found.recordNumber}
              </span>
              <Spread />
              <Button isDisabled={busy} onPress={() => file(found.id, null, 'found by hand and compared')}>
                File under {found.name}
              </Button>
            </Row>
          )}
        </>
      )}
    </Stack>
  );
}

function One(p: {
  c: Candidate;
  named: Schemas['NamedPerson'];
  busy: boolean;
  file: (person: string, order: string | null, reason: string) => void;
}) {
  const { c } = p;
  const times = useTimes();
  const why = c.forIt.join(', ') || 'compared and chosen';
  return (
    <Stack $gap={2} data-candidate={c.person.recordNumber}>
      <Row>
        <strong>{c.person.name}</strong> <Small>{[c.person.age, c.person.address].filter(Boolean).join(' · ')}</Small>
        <Spread />
        <Small>
          <Mono>{c.score}</Mono> of 100
        </Small>
      </Row>
      <Beside named={p.named} one={c} />
      <Row $gap={2}>
        {c.forIt.map((r) => (
          <Tag key={r} $tone="kelp">
            ✓ {r}
          </Tag>
        ))}
        {c.againstIt.map((r) => (
          <Tag key={r} $tone="coral">
            ✗ {r}
          </Tag>
        ))}
      </Row>
      {c.closed ? (
        <Small>This chart is under restriction; open it with a reason before anything is filed there.</Small>
      ) : (
        <Row $gap={2}>
          {c.orders.map((o) => (
            <Button key={o.id} isDisabled={p.busy} onPress={() => p.file(c.person.id, o.id, why)}>
              File under the order {o.testName} of {times.full(o.orderedAt)}
            </Button>
          ))}
          <Button
            $kind={c.orders.length > 0 ? 'quiet' : undefined}
            isDisabled={p.busy}
            onPress={() => p.file(c.person.id, null, why)}
          >
            File under {c.person.name} without an order
          </Button>
        </Row>
      )}
    </Stack>
  );
}
