/** A result opened: read, sign it, hand it on, or take it away from somebody whom it is not about. */

import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices, useWordOf } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Notice, Row, Sheet, Small, Spread, Stack, Tag, type Tone } from '../../ui/layout';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { Restricted } from '../visit_line/Restricted';
import { ResultValues } from './ResultValues';
import { PersonOrders } from './PersonOrders';
import { Uncertain } from './Uncertain';
import { result } from './queries';

type View = Schemas['ResultView'];

const toneOf = (urgency: View['report']['urgency']): Tone =>
  urgency === 'critical' ? 'coral' : urgency === 'outside' ? 'brass' : 'plain';

/** One result by its id; what is closed says how it opens. */
export function Review(p: {
  id: string;
  closed: boolean;
  person: string | null;
  /** It was signed or handed on here: the next comes. */
  finish: () => void;
}) {
  const { id, closed, person } = p;
  const look = useLook(result(id), !closed);
  const { me } = useSession();
  const { run } = useDo();
  const seen = look.data?.looks.some((l) => l.me);
  const signed = look.data?.report.reviewedAt != null;
  // On the screen for a moment, it counts as looked at.
  useEffect(() => {
    if (!look.data || seen !== false || signed) return;
    const timer = setTimeout(() => {
      void run(() => api.POST('/api/results/{id}/looked', { params: { path: { id } } }));
    }, 700);
    return () => clearTimeout(timer);
  }, [id, look.data, seen, signed, run]);
  if (closed && person)
    return (
      <Sheet>
        <Restricted
          person={person}
          message="This chart is under restriction; so is its result. It opens with a reason, which is recorded and told to the manager."
        />
      </Sheet>
    );
  if (!look.data || unanswered(look))
    return (
      <Sheet>
        <Unanswered look={look} rows={6} />
      </Sheet>
    );
  return (
    <Sheet>
      <Opened key={id + me.staff.id} view={look.data} finish={p.finish} />
    </Sheet>
  );
}

function Opened({ view, finish }: { view: View; finish: () => void }) {
  const times = useTimes();
  const may = useMay();
  const { now } = useSession();
  const stateOf = useWordOf('reportStates');
  const urgencyOf = useWordOf('urgencies');
  const { report } = view;
  const others = view.looks.filter((l) => !l.me);
  return (
    <Stack $gap={4}>
      <Row>
        <h2>{view.order?.testName ?? report.name}</h2>
        <Tag $tone={report.status === 'corrected' ? 'brass' : 'plain'}>{stateOf(report.status)}</Tag>
        <Tag $tone={toneOf(report.urgency)}>{urgencyOf(report.urgency)}</Tag>
        <Spread />
        <Small>
          {times.full(report.issuedAt)} {times.time(report.issuedAt)}
        </Small>
      </Row>
      {view.questions[0] && !report.reviewedAt && (
        <Notice $tone="tide">
          {view.questions[0].from} asks {view.questions[0].to}: {view.questions[0].question}
        </Notice>
      )}
      {!view.person && <Uncertain view={view} readOnly={!may('review_results')} />}
      {report.conclusion && <p style={{ whiteSpace: 'pre-line' }}>{report.conclusion}</p>}
      <ResultValues view={view} now={now} />
      {view.gone.length > 0 && <Notice $tone="brass">No longer in the report: {view.gone.join(', ')}.</Notice>}
      {view.files.length > 0 && (
        <Row $gap={3}>
          {view.files.map((f) => (
            <a key={f.position} href={`/api/results/${report.id}/files/${f.position}`} target="_blank" rel="noreferrer">
              {f.title || 'File of the laboratory'}
            </a>
          ))}
        </Row>
      )}
      <Small>
        {[
          report.performer,
          `report ${report.number}`,
          view.order && `ordered by ${view.order.orderedBy} on ${times.full(view.order.orderedAt)}`,
          view.person && !view.order && 'answers no order of ours',
          view.reader ? `for ${view.reader} to read` : 'for any clinician to read',
        ]
          .filter(Boolean)
          .join(' · ')}
      </Small>
      {view.risen.length > 0 && (
        <Small data-risen>
          Nobody signed it: it went to{' '}
          {view.risen.map((r) => `${r.to}, ${times.full(r.at)} ${times.time(r.at)}`).join('; then to ')}
        </Small>
      )}
      {others.length > 0 && !report.reviewedAt && (
        <Small data-looked>
          Looked at and not signed: {others.map((l) => `${l.name}, ${times.full(l.at)} ${times.time(l.at)}`).join('; ')}
        </Small>
      )}
      {report.reviewedAt ? (
        <p data-reviewed>
          ✓ Reviewed by {report.reviewedBy}, {times.full(report.reviewedAt)} {times.time(report.reviewedAt)}
          {report.reviewComment && `: ${report.reviewComment}`}
        </p>
      ) : (
        view.person && may('review_results') && <Sign view={view} finish={finish} />
      )}
      <Act view={view} />
      {view.person && may('review_results') && !report.replaced && <TakeAway view={view} />}
    </Stack>
  );
}

const telling = [
  { id: '', label: 'No' },
  { id: 'message', label: 'By message' },
  { id: 'call', label: 'By a call' },
];
const toldHow: Record<string, string> = {
  message: 'That a result is here, not what it says; by the way they agreed to, or else by letter or call.',
  call: 'The call waits on the assistants’ Today; what to say is your comment.',
};

/** What follows from a result: ordered again, a visit booked, told later. */
function Act({ view }: { view: View }) {
  const may = useMay();
  const [orders, setOrders] = useState(false);
  const [told, setTold] = useState('');
  const { run, busy, refusal } = useDo();
  const { person, order } = view;
  if (!person) return null;
  const again = async () => {
    if (!order) return;
    const done = await run(() => api.POST('/api/orders/{id}/again', { params: { path: { id: order.id } } }));
    if (done) setOrders(true);
  };
  const tell = async (by: Schemas['TellBy']) => {
    const path = { params: { path: { id: view.report.id } } };
    if (await run(() => api.POST('/api/results/{id}/tell', { ...path, body: { by } }))) setTold(toldHow[by] ?? '');
  };
  return (
    <Stack $gap={2} data-act>
      <Row $gap={3} style={{ flexWrap: 'wrap' }}>
        {order && may('prepare_orders') && (
          <Button $kind="quiet" isDisabled={busy} onPress={() => void again()}>
            Order again
          </Button>
        )}
        {may('prepare_orders') && (
          <Button $kind="quiet" aria-expanded={orders} onPress={() => setOrders(!orders)}>
            Orders
          </Button>
        )}
        {view.report.reviewedAt && may('review_results') && (
          <>
            <Button $kind="quiet" isDisabled={busy} onPress={() => void tell('message')}>
              Tell by message
            </Button>
            <Button $kind="quiet" isDisabled={busy} onPress={() => void tell('call')}>
              Let them be called
            </Button>
          </>
        )}
        {may('book') && <Link to="/schedule?open=1">Book a visit</Link>}
        {order?.visitId && <Link to={`/visits/${order.visitId}/sheet`}>Open its visit</Link>}
        <Link to={`/people/${person.id}`}>Open the chart</Link>
      </Row>
      {told && <Small role="status">{told}</Small>}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {orders && <PersonOrders person={person.id} />}
    </Stack>
  );
}

function Sign({ view, finish }: { view: View; finish: () => void }) {
  const [comment, setComment] = useState('');
  const [handing, setHanding] = useState(false);
  const [tell, setTell] = useState('');
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: view.report.id } } };
  const sign = async () => {
    const body = { comment, ...(tell && { tell: tell as Schemas['TellBy'] }) };
    if (await run(() => api.POST('/api/results/{id}/review', { ...path, body }))) finish();
  };
  return (
    <>
      <Form refusal={refusal} onSave={sign}>
        <Field name="comment" label="Comment" value={comment} onChange={setComment} lines={2} />
        <Row>
          <Small>Tell the patient</Small>
          <Choose label="Tell the patient" hideLabel choices={telling} value={tell} onChange={setTell} />
        </Row>
        {tell !== '' && <Small>{toldHow[tell]}</Small>}
        <Refused />
        <Row>
          <Button $kind="quiet" aria-expanded={handing} onPress={() => setHanding(!handing)}>
            Hand on
          </Button>
          <Spread />
          <Button $kind="filled" isDisabled={busy} type="submit">
            Sign as reviewed
          </Button>
        </Row>
      </Form>
      {handing && <HandOn id={view.report.id} finish={finish} />}
    </>
  );
}

/** To a colleague, with a question; from then on it is theirs to sign. */
function HandOn({ id, finish }: { id: string; finish: () => void }) {
  const { clinicians } = useChoices();
  const { me } = useSession();
  const [to, setTo] = useState<string | null>(null);
  const [question, setQuestion] = useState('');
  const { run, busy, refusal } = useDo();
  const hand = async () => {
    const done = await run(() =>
      api.POST('/api/results/{id}/hand-on', { params: { path: { id } }, body: { to: to ?? '', question } }),
    );
    if (done) finish();
  };
  return (
    <Form refusal={refusal} onSave={to ? hand : () => undefined}>
      <Pick
        name="to"
        label="Colleague"
        choices={clinicians.filter((c) => c.id !== me.staff.id)}
        value={to}
        onChange={setTo}
      />
      <Field name="question" label="Question" value={question} onChange={setQuestion} lines={2} autoFocus />
      <Refused />
      <Row>
        <Spread />
        <Button isDisabled={busy || !to} type="submit">
          Hand on
        </Button>
      </Row>
    </Form>
  );
}

function TakeAway({ view }: { view: View }) {
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState('');
  const identity = useIdentity();
  const { run, busy, refusal } = useDo();
  if (!asking)
    return (
      <Row>
        <Spread />
        <Button $kind="quiet" onPress={() => setAsking(true)}>
          This is not about {view.person && identity(view.person)}
        </Button>
      </Row>
    );
  return (
    <Form
      refusal={refusal}
      onSave={() =>
        run(() =>
          api.POST('/api/results/{id}/take-away', { params: { path: { id: view.report.id } }, body: { reason } }),
        )
      }
    >
      <Field
        name="reason"
        label="How you know that it is somebody else's"
        value={reason}
        onChange={setReason}
        autoFocus
      />
      <Refused />
      <Row>
        <Button $kind="quiet" onPress={() => setAsking(false)}>
          Leave it here
        </Button>
        <Spread />
        <Button $kind="stop" isDisabled={busy} type="submit">
          Take it away from this chart
        </Button>
      </Row>
    </Form>
  );
}
