/** One denial: what was not paid and why, what usually helps, what was done, and what can be done. */

import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { dollars, plainDate, useIdentity, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Mono, Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Unanswered } from '../../ui/Unanswered';
import { denial } from './queries';

type State = Schemas['Denial']['state'];
type Work = Schemas['DenialWork'];

/** The shape and colour of each state; its word comes from the server. */
const states: Record<State, { shape: string; tone: 'plain' | 'coral' | 'brass' | 'kelp' | 'tide' }> = {
  open: { shape: '○', tone: 'coral' },
  asked: { shape: '◔', tone: 'brass' },
  appealed: { shape: '◔', tone: 'brass' },
  corrected: { shape: '◔', tone: 'brass' },
  second_wanted: { shape: '◑', tone: 'coral' },
  paid_after_all: { shape: '✓', tone: 'kelp' },
  denied_again: { shape: '✕', tone: 'plain' },
  taken_back: { shape: '↺', tone: 'plain' },
  passed_on: { shape: '→', tone: 'tide' },
  to_patient: { shape: '→', tone: 'tide' },
  given_up: { shape: '—', tone: 'plain' },
};

export function DenialState({ state }: { state: State }) {
  const word = useWordOf('denialStates');
  return (
    <Tag $tone={states[state].tone}>
      {states[state].shape} {word(state)}
    </Tag>
  );
}

/** What is typed for an action before it is done. */
type Asking = 'note' | 'ask_patient' | 'appeal' | 'give_up' | 'keep' | 'bill_next' | 'bill_patient' | null;

const asks: Record<Exclude<Asking, null>, { label: string; button: string; day?: string }> = {
  note: { label: 'What was found out', button: 'Note it', day: 'Look again on' },
  ask_patient: { label: 'What the patient was asked', button: 'Wait for the patient', day: 'Look again on' },
  appeal: { label: 'What the letter says', button: 'Write the letter', day: 'Answer expected by' },
  give_up: { label: 'Why it is given up', button: 'Give it up' },
  keep: { label: 'Why it is not given up', button: 'Keep working on it' },
  // Nothing is typed, but money moves: it is asked once more.
  bill_next: { label: '', button: 'Bill the next policy' },
  bill_patient: { label: '', button: 'Bill the patient' },
};

export function Denial({ id, onClose }: { id: string; onClose: () => void }) {
  const look = useLook(denial(id));
  const d = look.data;
  return (
    <Dialog
      title={d ? `${d.view.payer} did not pay ${dollars(d.view.denial.cents)}` : 'A denial'}
      open
      onClose={onClose}
      wide
    >
      {d ? <Opened detail={d} /> : <Unanswered look={look} />}
    </Dialog>
  );
}

function Opened({ detail: d }: { detail: Schemas['DenialDetail'] }) {
  const { run, busy, refusal } = useDo();
  const [asking, setAsking] = useState<Asking>(null);
  const [words, setWords] = useState('');
  const [day, setDay] = useState('');
  const identity = useIdentity();
  const top = useRef<HTMLDivElement>(null);
  const { denial: row } = d.view;
  const work = async (body: Work) => {
    const done = await run(() => api.POST('/api/denials/{id}', { params: { path: { id: row.id } }, body }));
    if (!done) return;
    setAsking(null);
    // The button that was pressed is gone: the dialog hears the next key all the same.
    top.current?.focus();
  };
  const ask = (what: Exclude<Asking, null>) => {
    setAsking(what);
    setWords(what === 'appeal' ? d.proposedWords : '');
    setDay('');
  };
  const send = () => {
    if (asking === 'note' || asking === 'ask_patient') return work({ what: asking, sentence: words, lookAgain: day });
    if (asking === 'appeal') return work({ what: 'appeal', words, lookAgain: day });
    if (asking === 'give_up' || asking === 'keep') return work({ what: asking, reason: words });
    if (asking === 'bill_next' || asking === 'bill_patient') return work({ what: asking });
    return Promise.resolve();
  };
  return (
    <Form refusal={refusal} onSave={asking ? () => void send() : undefined}>
      <div ref={top} tabIndex={-1} style={{ outline: 'none' }}>
        <Row>
          <DenialState state={row.state} />
          <span>
            {identity(d.view.person)}, visit of {plainDate(d.view.day)}
          </span>
          <Mono>{d.view.claim}</Mono>
          <Spread />
          <Link to={`/visits/${row.visitId}/money`}>Balance of the visit</Link>
        </Row>
      </div>
      <What detail={d} />
      {!row.endedAt && (
        <Notice $tone="tide">
          <Stack $gap={1}>
            <strong>{d.view.helps}</strong>
            <Small>
              {[
                row.correctBy && `A corrected claim until ${plainDate(row.correctBy)}`,
                row.appealBy && `an appeal until ${plainDate(row.appealBy)}`,
              ]
                .filter(Boolean)
                .join(', ') || 'The payer told no days for corrections and appeals.'}
            </Small>
          </Stack>
        </Notice>
      )}
      {row.wantedReason && (
        <Notice $tone="coral" data-wanted>
          {d.wantedBy} wants to give up {dollars(d.openCents)}: {row.wantedReason}.{' '}
          {d.wantedByMe ? 'Somebody else must agree.' : 'You may agree.'}
        </Notice>
      )}
      {!row.endedAt && !asking && <Ways detail={d} busy={busy} onAsk={ask} onWork={(w) => void work(w)} />}
      {asking && (
        <Stack>
          {asking === 'bill_next' || asking === 'bill_patient' ? (
            <Notice $tone="brass">
              {dollars(d.openCents)} will be owed by {asking === 'bill_next' ? d.nextPayer : 'the patient'}, and no
              longer by {d.view.payer}.
            </Notice>
          ) : (
            <Field
              name={asking === 'appeal' ? 'words' : asking === 'give_up' || asking === 'keep' ? 'reason' : 'sentence'}
              label={asks[asking].label}
              value={words}
              onChange={setWords}
              lines={asking === 'appeal' ? 6 : 0}
              autoFocus
            />
          )}
          {asks[asking].day && (
            <Field
              name="lookAgain"
              label={asks[asking].day}
              hint="Empty leaves the day that stands."
              value={day}
              onChange={setDay}
              placeholder="+2w, 12 dec"
            />
          )}
          <Refused />
          <Row>
            <Spread />
            <Button $kind="quiet" onPress={() => setAsking(null)}>
              Back
            </Button>
            <Button $kind="filled" type="submit" isDisabled={busy}>
              {asks[asking].button}
            </Button>
          </Row>
        </Stack>
      )}
      {!asking && <Refused />}
      <Events events={d.events} />
    </Form>
  );
}

/** Each amount with its reason, and what the decision said besides. */
function What({ detail: d }: { detail: Schemas['DenialDetail'] }) {
  return (
    <Table>
      <tbody>
        {d.view.reasons.map((r, n) => (
          <tr key={n}>
            <td>{r.line ? `line ${r.line}` : 'the claim as a whole'}</td>
            <td>{r.words}</td>
            <td>
              <Mono>{r.code}</Mono>
            </td>
            <td className="number">
              <Mono>{dollars(r.cents)}</Mono>
            </td>
          </tr>
        ))}
        {d.remarks.map((remark) => (
          <tr key={remark} data-remarks>
            <td colSpan={4}>
              <Small>The payer remarks</Small> {remark}
            </td>
          </tr>
        ))}
        <tr>
          <td colSpan={3}>
            <Small>Of it open against the payer</Small>
          </td>
          <td className="number">
            <Mono>{dollars(d.openCents)}</Mono>
          </td>
        </tr>
      </tbody>
    </Table>
  );
}

/** What can be done; what usually helps stands first and filled. */
function Ways(p: {
  detail: Schemas['DenialDetail'];
  busy: boolean;
  onAsk: (what: Exclude<Asking, null>) => void;
  onWork: (work: Work) => void;
}) {
  const { detail: d, busy } = p;
  const kind = (...remedies: Schemas['DenialView']['remedy'][]) =>
    remedies.includes(d.view.remedy) ? 'filled' : 'quiet';
  if (d.wantedBy) {
    return (
      <Row>
        <Button $kind="quiet" isDisabled={busy} onPress={() => p.onAsk('keep')}>
          {d.wantedByMe ? 'Do not give it up' : 'Do not agree'}
        </Button>
        <Spread />
        {!d.wantedByMe && (
          <Button $kind="filled" isDisabled={busy} onPress={() => p.onAsk('give_up')}>
            Agree
          </Button>
        )}
      </Row>
    );
  }
  return (
    <Stack $gap={2}>
      <Row $gap={2}>
        <Link to={`/visits/${d.view.denial.visitId}/charges`}>Put the charges right</Link>
        <Button $kind={kind('appeal')} isDisabled={busy} onPress={() => p.onAsk('appeal')}>
          Appeal
        </Button>
        <Button $kind={kind('ask_patient')} isDisabled={busy} onPress={() => p.onAsk('ask_patient')}>
          Ask the patient
        </Button>
        {d.nextPayer && (
          <Button $kind={kind('bill_next')} isDisabled={busy} onPress={() => p.onAsk('bill_next')}>
            Bill {d.nextPayer}
          </Button>
        )}
        {!d.notThePatients && (
          <Button $kind="quiet" isDisabled={busy} onPress={() => p.onAsk('bill_patient')}>
            Bill the patient
          </Button>
        )}
        <Button $kind={kind('ask_payer')} isDisabled={busy} onPress={() => p.onAsk('note')}>
          Note something
        </Button>
        <Button $kind="quiet" isDisabled={busy} onPress={() => p.onAsk('give_up')}>
          Give it up
        </Button>
        <Spread />
        {d.view.owner ? (
          <Button $kind="quiet" isDisabled={busy} onPress={() => p.onWork({ what: 'leave' })}>
            Leave it to anybody
          </Button>
        ) : (
          <Button isDisabled={busy} onPress={() => p.onWork({ what: 'own' })}>
            I work on it
          </Button>
        )}
      </Row>
      {d.notThePatients && <Small>{d.notThePatients}</Small>}
      {!d.givesUpAlone && <Small>To give this much up, a second person must agree.</Small>}
    </Stack>
  );
}

function Events({ events }: { events: Schemas['DenialEvent'][] }) {
  const times = useTimes();
  return (
    <Table>
      <tbody>
        {events.map((e) => (
          <tr key={e.id}>
            <td>
              <Small>
                {times.full(e.at)} {times.time(e.at)}
              </Small>
            </td>
            <td>
              {e.sentence} {e.documentId && <a href={`/api/files/${e.documentId}`}>The letter</a>}
            </td>
            <td>
              <Small>{e.by}</Small>
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}
