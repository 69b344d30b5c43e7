/** What stays with somebody: how it is with each problem by one key, how much it weighs, since when, and why it ended. */

import { type KeyboardEvent, useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf, useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { useUndo } from '../../app/undo';
import { Button, Choose, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { Former } from './Former';
import { FindProblem } from './FindProblem';
import { useNoneKnown } from './noneKnown';

type Chart = Schemas['ChartView'];
type Problem = Schemas['ListedProblem'];
type State = Problem['state'];

/** The key of each state: its first letter, and m for remission, since r is resolved. */
const keyOf: Record<string, State> = {
  a: 'active',
  i: 'inactive',
  r: 'resolved',
  c: 'recurrence',
  m: 'remission',
};

export function Problems({ chart }: { chart: Chart }) {
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const add = (body: Schemas['ProblemForm']) =>
    run(() => api.POST('/api/people/{id}/problems', { params: { path: { id: chart.person.id } }, body }));
  const noneIs = useNoneKnown(chart.person.id, run);
  const none = chart.noneKnown.some((n) => n.list === 'problems');
  return (
    <Stack data-problems>
      {chart.problems.map((p) => (
        <One key={p.id} person={chart.person.id} problem={p} fresh={chart.newProblems.includes(p.id)} />
      ))}
      {may('record_vitals') && (
        <FindProblem
          label="A problem for the list"
          placeholder="Add a problem: words, or a piece of a code"
          onCode={(code) => void add({ code })}
          onWords={(words) => void add({ words })}
        />
      )}
      {refusal && <Small role="alert">{refusal.message}</Small>}
      {chart.problems.length === 0 && (
        <Row>
          <Tag $tone={none ? 'kelp' : 'brass'}>{none ? 'None known' : 'Nobody asked yet'}</Tag>
          <Spread />
          {!none && may('record_vitals') && (
            <Button isDisabled={busy} onPress={() => void noneIs('problems')}>
              No problems known
            </Button>
          )}
        </Row>
      )}
    </Stack>
  );
}

function One({ person, problem, fresh }: { person: string; problem: Problem; fresh: boolean }) {
  const may = useMay();
  const states = useWords('problemStates');
  const stateWord = useWordOf('problemStates');
  const offerUndo = useUndo();
  const [open, setOpen] = useState(false);
  const { run, refusal } = useDo();
  const params = { path: { id: person, problem: problem.id } };
  const give = (code: string) =>
    run(() => api.PUT('/api/people/{id}/problems/{problem}/code', { params, body: { code } }));
  const to = (state: string, reason?: string) =>
    api.PUT('/api/people/{id}/problems/{problem}', {
      params,
      body: { state, ...(reason !== undefined && { reason }) },
    });
  const become = (state: string) => {
    if (state === problem.state) return;
    const before = problem.state;
    const reason = problem.endReason;
    void run(() => to(state)).then(
      (done) => done && offerUndo(`${problem.title}: ${stateWord(state)}.`, () => to(before, reason)),
    );
  };
  const keys = (event: KeyboardEvent<HTMLElement>) => {
    const state = keyOf[event.key.toLowerCase()];
    // Letters that are typed into a field are words.
    if (!state || !may('record_vitals') || event.altKey || event.ctrlKey || event.target instanceof HTMLInputElement)
      return;
    become(state);
  };
  return (
    <Stack $gap={1} data-problem={problem.code || problem.title} data-problem-state={problem.state}>
      <Row
        role="group"
        tabIndex={may('record_vitals') ? 0 : -1}
        aria-label={`${problem.title}: ${stateWord(problem.state)}; a active, i inactive, r resolved, c recurrence, m remission`}
        onKeyDown={keys}
      >
        {problem.code ? <Mono>{problem.code}</Mono> : <Tag $tone="brass">in words</Tag>}
        <span style={{ flex: 1, minWidth: 0 }}>{problem.title}</span>
        <Small>
          {[
            fresh && 'new in this visit',
            problem.weight,
            problem.since && `since ${problem.since}`,
            problem.endReason,
            !may('record_vitals') && stateWord(problem.state),
          ]
            .filter(Boolean)
            .join(' · ')}
        </Small>
        {may('record_vitals') && (
          <Button
            $kind="quiet"
            aria-expanded={open}
            aria-label={`Change ${problem.title}`}
            onPress={() => setOpen(!open)}
          >
            {stateWord(problem.state)} ▾
          </Button>
        )}
      </Row>
      {open && problem.code === '' && (
        <Stack $gap={1}>
          <Small>In words, no medicine is checked against it.</Small>
          <FindProblem
            label={`Code for ${problem.title}`}
            placeholder={`Its code: words in any order, or a piece of a code`}
            onCode={(code) => void give(code)}
          />
          {refusal && <Small role="alert">{refusal.message}</Small>}
        </Stack>
      )}
      {open && (
        <Stack $gap={2}>
          <Row>
            <Choose
              label={`How it is with ${problem.title}`}
              hideLabel
              value={problem.state}
              onChange={become}
              choices={states}
            />
            <Former person={person} entry={problem.id} what={problem.title} />
          </Row>
          <More key={problem.recordedAt} person={person} problem={problem} onDone={() => setOpen(false)} />
        </Stack>
      )}
    </Stack>
  );
}

function More({ person, problem, onDone }: { person: string; problem: Problem; onDone: () => void }) {
  const weights = useWords('weights');
  const [weight, setWeight] = useState<string>(problem.weight ?? '');
  const [since, setSince] = useState(problem.since);
  const [reason, setReason] = useState(problem.endReason);
  const { run, busy, refusal } = useDo();
  const ended = problem.state === 'resolved' || problem.state === 'inactive';
  const save = async () => {
    const params = { path: { id: person, problem: problem.id } };
    const body = { state: problem.state, weight, since, ...(ended && { reason }) };
    if (await run(() => api.PUT('/api/people/{id}/problems/{problem}', { params, body }))) onDone();
  };
  return (
    <Form refusal={refusal} onSave={() => void save()}>
      <Row>
        <Choose
          label="Weight"
          value={weight}
          onChange={setWeight}
          choices={[{ id: '', label: 'not said' }, ...weights]}
        />
        <Field label="Since" name="since" value={since} onChange={setSince} placeholder="2019-04" />
        {ended && <Field label="Why it is no longer one" name="reason" value={reason} onChange={setReason} />}
        <Spread />
        <Button type="submit" isDisabled={busy}>
          Put down
        </Button>
      </Row>
      <Refused />
    </Form>
  );
}
