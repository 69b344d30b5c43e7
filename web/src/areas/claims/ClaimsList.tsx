import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { Form, Refused } from '../../ui/Form';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { dollars, plainDate, useIdentity, useTimes } from '../../app/words';
import { Button, Check, Choose } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag, type Tone } from '../../ui/layout';
import { part, ring, ringGap } from '../../ui/tokens';
import { claim as claimQuery, claims } from './queries';
import { useGradually } from '../../ui/gradually';

type State = Schemas['ClaimState'];

const tone: Record<State, Tone> = {
  void: 'plain',
  ready: 'tide',
  rejected: 'coral',
  denied: 'coral',
  paid: 'kelp',
  accepted: 'plain',
  sent: 'plain',
};
const shape: Record<State, string> = {
  ready: '○',
  sent: '→',
  accepted: '⇄',
  rejected: '✕',
  denied: '✕',
  paid: '✓',
  void: '–',
};

const Open = styled.button`
  all: unset;
  cursor: pointer;
  text-decoration: underline;
  text-underline-offset: ${ringGap};
  &:focus-visible {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

/** What came of a batch, in a sentence. */
const saidOf = (a: Schemas['BatchAnswer']) =>
  a.findings.length > 0
    ? a.findings.join(' ')
    : `${a.batch ? `Batch ${a.batch.control} is on its way: ` : 'Ready to go: '}${a.summary.join(' ')}`;

function History({ id, onClose }: { id: string; onClose: () => void }) {
  const times = useTimes();
  const stateWord = useWordOf('claimStates');
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id } } };
  const look = useLook(claimQuery(id));
  const claim = look.data?.claim.claim;
  const [sent, setSent] = useState('');
  const send = async () => {
    const made = await run(() => api.POST('/api/batches', { body: { claimIds: [id], checkOnly: false } }));
    if (made) setSent(saidOf(made));
  };
  return (
    <Dialog title={`Claim ${claim?.number ?? ''}`} open onClose={onClose} wide>
      <Form refusal={refusal}>
        {claim && (
          <Row>
            <Tag $tone={tone[claim.state] ?? 'plain'}>
              {shape[claim.state]} {claim.state}
            </Tag>
            <span>{look.data?.claim.payer}</span>
            <Mono>{dollars(claim.totalCents)}</Mono>
            {claim.payerClaimNumber && <Small>payer’s number {claim.payerClaimNumber}</Small>}
          </Row>
        )}
        {claim?.reasons.map((r) => (
          <Notice key={r} $tone="coral">
            {r}
          </Notice>
        ))}
        <Table>
          <tbody>
            {look.data?.events.map((e, i) => (
              <tr key={i}>
                <td>
                  <Small>
                    {times.full(e.at)} {times.time(e.at)}
                  </Small>
                </td>
                <td>
                  <Tag $tone={tone[e.state]}>{stateWord(e.state).toLowerCase()}</Tag>
                </td>
                <td>{e.sentence}</td>
              </tr>
            ))}
          </tbody>
        </Table>
        <Refused />
        {sent && <Notice $tone={sent.startsWith('Batch') ? 'kelp' : 'coral'}>{sent}</Notice>}
        {claim?.state === 'ready' && may('claims') && (
          <Row>
            <Small>Or choose several in the list: they go in one batch for each payer.</Small>
            <Spread />
            <Button $kind="filled" isDisabled={busy} onPress={() => void send()}>
              Send this claim, {dollars(claim.totalCents)}
            </Button>
          </Row>
        )}
        {claim && may('claims') && ['rejected', 'denied'].includes(claim.state) && (
          <Row>
            <Small>Put right what was refused (policy, details), then make it ready to go again.</Small>
            <Spread />
            <Button isDisabled={busy} onPress={() => void run(() => api.POST('/api/claims/{id}/correct', path))}>
              Corrected: make ready
            </Button>
          </Row>
        )}
      </Form>
    </Dialog>
  );
}

/** Of the columns, in per cent. */
const widths = [5, 9, 19, 11, 20, 9, 11, 16];

const Steady = styled(Table)`
  table-layout: fixed;
  min-width: ${part.wideTable};
`;

export function ClaimsList() {
  const { setInHand } = useSession();
  const [state, setState] = useState('');
  const [chosen, setChosen] = useState<string[]>([]);
  const [opened, setOpened] = useState<string | null>(null);
  const [answer, setAnswer] = useState<Schemas['BatchAnswer'] | null>(null);
  const identity = useIdentity();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const look = useLook(claims(state));
  const states = [{ id: '', label: 'All' }, ...useWords('claimStates')];
  const list = look.data ?? [];
  const inSight = useGradually(list);
  // Whoever comes from a visit comes for its claim.
  const [params] = useSearchParams();
  const wanted = params.get('visit');
  const found = wanted ? list.find((c) => c.visit.id === wanted)?.claim.id : undefined;
  const [shown, setShown] = useState<string | null>(null);
  if (found && wanted !== shown) {
    setShown(wanted);
    setOpened(found);
  }
  const ready = list.filter((c) => c.claim.state === 'ready').map((c) => c.claim.id);
  const picked = chosen.filter((id) => ready.includes(id));
  const total = list.filter((c) => picked.includes(c.claim.id)).reduce((sum, c) => sum + c.claim.totalCents, 0);
  // A range goes from the claim chosen last to the one pressed with Shift.
  const [last, setLast] = useState<string | null>(null);
  const shift = useRef(false);
  const choose = (id: string, on: boolean) => {
    const [from, to] = [ready.indexOf(last ?? id), ready.indexOf(id)];
    const range = shift.current && from >= 0 ? ready.slice(Math.min(from, to), Math.max(from, to) + 1) : [id];
    setLast(id);
    setChosen((all) => (on ? [...new Set([...all, ...range])] : all.filter((x) => !range.includes(x))));
  };
  useKeys({ 'ctrl+a': () => setChosen(ready) });
  const batch = async (checkOnly: boolean) => {
    const made = await run(() => api.POST('/api/batches', { body: { claimIds: picked, checkOnly } }));
    if (made) {
      setAnswer(made);
      if (made.batch) setChosen([]);
    }
  };
  return (
    <Stack>
      <Row>
        <Choose label="State" hideLabel value={state} onChange={setState} choices={states} />
        <Spread />
        {may('claims') && (
          <Row $gap={2}>
            <Button isDisabled={!look.data} onPress={() => setChosen(ready)}>
              {look.data ? `Choose all ${ready.length} ready` : 'Choose all ready'}
            </Button>
            <Button isDisabled={busy || picked.length === 0} onPress={() => void batch(true)}>
              Check only
            </Button>
            <Button $kind="filled" isDisabled={busy || picked.length === 0} onPress={() => void batch(false)}>
              Send {picked.length > 0 ? `${picked.length}, ${dollars(total)}` : 'a batch'}
            </Button>
          </Row>
        )}
      </Row>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} />}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {answer && <Notice $tone={answer.findings.length > 0 ? 'coral' : 'kelp'}>{saidOf(answer)}</Notice>}
      {look.data && list.length === 0 && (
        <Empty>No claim in this state. A claim is made when charges are completed.</Empty>
      )}
      {list.length > 0 && (
        <Scroller>
          <Steady>
            {/* Set beforehand: rows that come later move nothing. */}
            <colgroup>
              {widths.map((width, n) => (
                <col key={n} style={{ width: `${width}%` }} />
              ))}
            </colgroup>
            <thead>
              <tr>
                <th aria-label="Chosen" />
                <th>Claim</th>
                <th>Patient</th>
                <th>Day of service</th>
                <th>Payer</th>
                <th className="number">Charge</th>
                <th>State</th>
                <th>What it says</th>
              </tr>
            </thead>
            <tbody>
              {inSight.map(({ claim, person, payer, visit }) => (
                <tr
                  key={claim.id}
                  data-selected={picked.includes(claim.id)}
                  data-claim={claim.number}
                  data-claim-of={person.recordNumber}
                >
                  <td
                    onPointerDownCapture={(event) => (shift.current = event.shiftKey)}
                    onKeyDownCapture={(event) => (shift.current = event.shiftKey)}
                  >
                    {claim.state === 'ready' && may('claims') && (
                      <Check
                        label=""
                        ariaLabel={`Choose claim ${claim.number}`}
                        value={picked.includes(claim.id)}
                        onChange={(on) => choose(claim.id, on)}
                      />
                    )}
                  </td>
                  <td>
                    <Open
                      type="button"
                      data-item
                      onClick={() => {
                        setOpened(claim.id);
                        setInHand({ visit: visit.id });
                      }}
                    >
                      <Mono>{claim.number}</Mono>
                    </Open>
                  </td>
                  <td>{identity(person, visit.callSign)}</td>
                  <td>
                    <Mono>{plainDate(visit.day)}</Mono>
                  </td>
                  <td>{payer}</td>
                  <td className="number">{dollars(claim.totalCents)}</td>
                  <td>
                    <Tag $tone={tone[claim.state] ?? 'plain'}>
                      {shape[claim.state]} {claim.state}
                    </Tag>
                  </td>
                  <td>
                    <Small>{claim.reasons.join('; ')}</Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </Steady>
        </Scroller>
      )}
      {opened && <History id={opened} onClose={() => setOpened(null)} />}
    </Stack>
  );
}
