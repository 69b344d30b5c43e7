/** One claim: what became of it, and what is done next with it. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Unanswered } from '../../ui/Unanswered';
import { useFix } from '../charges/fix';
import { claim as claimQuery, claimAsSent } from './queries';
import { shape, tone } from './states';

/** What came of a batch, in a sentence. */
/** What a version does to the one that it names. */
const standsTo: Record<Schemas['Claim']['frequency'], string> = { '1': 'goes after', '7': 'replaces', '8': 'voids' };

export const saidOf = (a: Schemas['BatchAnswer']) =>
  a.findings.length > 0
    ? a.findings.join(' ')
    : [
        `${a.batch ? `Batch ${a.batch.control} is on its way: ` : 'Ready to go: '}${a.summary.join(' ')}`,
        ...a.leftOut.map((sentence) => `Left out: ${sentence}`),
      ].join(' ');

/** What is sent, field by field in words, with the file's segments beside it. */
function AsSent({ id }: { id: string }) {
  const times = useTimes();
  const look = useLook(claimAsSent(id));
  if (!look.data) return <Unanswered look={look} />;
  const { segments, sentAt } = look.data;
  return (
    <Stack $gap={2} data-as-sent>
      <Small>{sentAt ? `As it went out on ${times.full(sentAt)}.` : 'As it would go out now.'}</Small>
      <Scroller>
        <Table>
          <tbody>
            {segments.map((s, n) => (
              <tr key={n} data-segment={s.segment.split('*')[0]}>
                <td>
                  <Small>{s.what}</Small>
                </td>
                <td>{s.says}</td>
                <td>
                  <Mono style={{ overflowWrap: 'anywhere' }}>{s.segment}</Mono>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
    </Stack>
  );
}

export function History({ id, onClose }: { id: string; onClose: () => void }) {
  const times = useTimes();
  const stateWord = useWordOf('claimStates');
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id } } };
  const look = useLook(claimQuery(id));
  const claim = look.data?.claim.claim;
  const fix = useFix(look.data?.claim.person.id ?? '', look.data?.claim.visit.id ?? '');
  const [sent, setSent] = useState('');
  const [segments, setSegments] = useState(false);
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
        {claim?.reasons.map((r, n) => {
          const place = look.data?.fixes[n];
          const way = place ? fix(place) : null;
          return (
            <Notice key={r} $tone="coral" data-reason={r}>
              <Row>
                <span>{r}</span>
                <Spread />
                {way && <Link to={way.to}>{way.word}</Link>}
              </Row>
            </Notice>
          );
        })}
        {(look.data?.versions.length ?? 0) > 1 && (
          <Stack $gap={1} data-versions>
            <Small>The claims of this visit, one after the other</Small>
            {look.data?.versions.map((v) => (
              <Row key={v.claim.id} $gap={2}>
                <Mono>{v.claim.number}</Mono>
                <Tag $tone={tone[v.claim.state] ?? 'plain'}>{stateWord(v.claim.state).toLowerCase()}</Tag>
                <Small>
                  {v.payer}, {dollars(v.claim.totalCents)}
                  {v.replaces && `, ${standsTo[v.claim.frequency]} ${v.replaces}`}
                  {v.claim.id === id && ', this one'}
                </Small>
              </Row>
            ))}
          </Stack>
        )}
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
        {may('claims') &&
          (segments ? (
            <AsSent id={id} />
          ) : (
            <Row>
              <Button onPress={() => setSegments(true)}>What is sent, field by field</Button>
              <a href={`/api/claims/${id}/form`} target="_blank" rel="noreferrer">
                On paper, by the fields of the form
              </a>
            </Row>
          ))}
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
