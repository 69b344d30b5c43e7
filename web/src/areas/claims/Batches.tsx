import { Link } from 'react-router';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { dollars, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag, type Tone } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { batches, strayAnswers } from './queries';

type State = Schemas['BatchState'];

const tone: Record<State, Tone> = { sending: 'brass', sent: 'tide', accepted: 'kelp', rejected: 'coral' };
const word: Record<State, string> = {
  sending: '… being handed over',
  sent: '→ handed over',
  accepted: '✓ taken by the clearing house',
  rejected: '✕ refused by the clearing house',
};

/** What the clearing house said that belongs to nothing we know: work until somebody has seen to it. */
function StrayAnswers() {
  const times = useTimes();
  const { run, busy } = useDo();
  const look = useLook(strayAnswers());
  if (!look.data || look.data.length === 0) return null;
  return (
    <Stack $gap={2} style={{ marginBottom: space(4) }}>
      <h2>Answers that match nothing</h2>
      {look.data.map((a) => (
        <Notice key={a.id} $tone="brass" data-stray={a.kind}>
          <Row>
            <span>
              <b>{a.kind}</b> {a.sentence} <Small>{times.full(a.at)}</Small>
            </span>
            <Spread />
            {a.kind === 'letter' && <Link to={`/billing?tab=remittances&letter=${a.documentId}`}>Enter it</Link>}
            <a href={`/api/files/${a.documentId}`}>File</a>
            <Button
              isDisabled={busy}
              onPress={() =>
                void run(() => api.POST('/api/stray-answers/{id}/seen', { params: { path: { id: a.id } } }))
              }
            >
              Seen to
            </Button>
          </Row>
        </Notice>
      ))}
    </Stack>
  );
}

/** What was sent, with the file as it went, byte for byte. */
export function Batches() {
  return (
    <>
      <StrayAnswers />
      <Sent />
    </>
  );
}

function Sent() {
  const times = useTimes();
  const look = useLook(batches());
  if (unanswered(look)) return <Unanswered look={look} />;
  if (look.data?.length === 0)
    return <Empty>No batch yet. Choose ready claims and send them; files and answers are kept here.</Empty>;
  return (
    <Scroller>
      <Table>
        <thead>
          <tr>
            <th>Batch</th>
            <th>Made</th>
            <th className="number">Claims</th>
            <th className="number">Total</th>
            <th>State</th>
            <th>Answer</th>
            <th>File</th>
          </tr>
        </thead>
        <tbody>
          {look.data?.map((b) => (
            <tr key={b.id}>
              <td>
                <Mono>{b.control}</Mono>
              </td>
              <td>
                <Small>
                  {times.full(b.madeAt)} {times.time(b.madeAt)}, {b.madeBy}
                </Small>
              </td>
              <td className="number">{b.claims}</td>
              <td className="number">{dollars(b.totalCents)}</td>
              <td>
                <Tag $tone={tone[b.state] ?? 'plain'}>{word[b.state] ?? b.state}</Tag>
              </td>
              <td>{b.answer}</td>
              <td>
                <a href={`/api/files/${b.documentId}`}>837P</a>{' '}
                <a href={`/api/files/${b.documentId}?as=text`}>readable</a>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}
