import { Form, Refused } from '../../ui/Form';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useIdentity, usePhone, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Empty, Row, Scroller, Small, Spread, Table, Tag, type Tone } from '../../ui/layout';
import { messages } from './queries';
import { useWordOf } from '../../app/choices';

type Message = Schemas['MessageView'];

const fate: Record<Schemas['Fate'], [string, Tone]> = {
  waiting: ['○ waiting', 'brass'],
  sent: ['→ sent', 'tide'],
  delivered: ['✓ delivered', 'kelp'],
  failed: ['✕ failed', 'coral'],
  bounced: ['✕ came back', 'coral'],
  printed: ['✓ printed', 'kelp'],
  called: ['✓ called', 'kelp'],
  not_reached: ['… not reached', 'brass'],
};

/** What patients were told, what became of it, and whom to call. */
export function Told({ onClose }: { onClose: () => void }) {
  const identity = useIdentity();
  const look = useLook(messages());
  const all = look.data ?? [];
  const calls = all.filter((m) => m.toDo === 'call');
  const letters = all.filter((m) => m.toDo === 'letter');
  const rest = all.filter((m) => !calls.includes(m) && !letters.includes(m));
  const { run, busy, refusal } = useDo();
  const became = (m: Message, state: string) =>
    run(() => api.POST('/api/messages/{id}/fate', { params: { path: { id: m.message.id } }, body: { state } }));
  return (
    <Dialog title="Messages and calls" open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Refused />
        {look.data && all.length === 0 && (
          <Empty>Nothing was sent yet. Messages are written when a plan is taken.</Empty>
        )}
        {calls.length > 0 && (
          <div data-calls={calls.length}>
            <Row>
              <h3>To call</h3>
              <Spread />
              <Button onPress={() => window.open('/api/print/calls', '_blank')}>Print the call list</Button>
            </Row>
            <List list={calls}>
              {(m) => (
                <Row $gap={1}>
                  <Button
                    isDisabled={busy}
                    onPress={() => void became(m, 'called')}
                    aria-label={`Called ${identity(m.person)}`}
                  >
                    Called
                  </Button>
                  <Button
                    $kind="quiet"
                    isDisabled={busy}
                    onPress={() => void became(m, 'not_reached')}
                    aria-label={`Not reached: ${identity(m.person)}`}
                  >
                    Not reached
                  </Button>
                </Row>
              )}
            </List>
          </div>
        )}
        {letters.length > 0 && (
          <div data-letters={letters.length}>
            <Row>
              <h3>Letters to print</h3>
              <Spread />
              <Button onPress={() => window.open('/api/print/letters', '_blank')}>Make the PDF</Button>
            </Row>
            <List list={letters}>
              {(m) => (
                <Button
                  isDisabled={busy}
                  onPress={() => void became(m, 'printed')}
                  aria-label={`Printed: the letter to ${identity(m.person)}`}
                >
                  Printed
                </Button>
              )}
            </List>
          </div>
        )}
        {rest.length > 0 && (
          <div>
            <h3>The last two weeks</h3>
            <List list={rest}>{() => null}</List>
          </div>
        )}
      </Form>
    </Dialog>
  );
}

function List(p: { list: Message[]; children: (m: Message) => React.ReactNode }) {
  const channelWord = useWordOf('channels');
  const times = useTimes();
  const identity = useIdentity();
  const phone = usePhone();
  return (
    <Scroller>
      <Table>
        <tbody>
          {p.list.map((m) => {
            const [said, tone] = fate[m.message.state] ?? [m.message.state, 'plain'];
            return (
              <tr key={m.message.id} data-message={m.message.state}>
                <td>
                  {identity(m.person)}
                  <br />
                  <Small>{phone(m.person.phone)}</Small>
                </td>
                <td>
                  {m.message.subject}
                  <br />
                  <Small>
                    {channelWord(m.message.channel)}: {m.message.why}
                  </Small>
                </td>
                <td>
                  <Tag $tone={tone}>{said}</Tag>
                  <br />
                  <Small>{m.message.fate || `${times.day(m.message.stateAt)} ${times.time(m.message.stateAt)}`}</Small>
                </td>
                <td>{p.children(m)}</td>
              </tr>
            );
          })}
        </tbody>
      </Table>
    </Scroller>
  );
}
