/** Statements: what is due, what is not and why, and the runs that make them. */

import { useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { dollars, plainDate, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { Meter } from '../../ui/Meter';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { statementRuns, statementsDue } from './queries';

const wayWord = { letter: 'letter', email: 'e-mail' } as const;

export function Statements() {
  const look = useLook(statementsDue());
  const runs = useLook(statementRuns());
  const { run, busy, refusal } = useDo();
  const [key, setKey] = useState(() => crypto.randomUUID());
  const running = runs.data?.find((r) => !r.endedAt);
  const make = async () => {
    if (await run(() => api.POST('/api/statements/runs', { body: { id: key } }))) setKey(crypto.randomUUID());
  };
  const d = look.data;
  return (
    <Stack>
      {unanswered(look) && <Unanswered look={look} />}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {running && (
        <Meter aria-label="Statements made" value={running.made + running.passedOver} maxValue={running.asked}>
          {running.made} of {running.asked} statements are made.
        </Meter>
      )}
      {d && (
        <Row>
          <span data-due>
            {d.count === 0
              ? 'No statement is due.'
              : `${d.count === 1 ? 'One statement is' : `${d.count} statements are`} due, over ${dollars(d.cents)}.`}
          </span>
          <Spread />
          {d.count > 0 && !running && (
            <Button $kind="filled" isDisabled={busy} onPress={() => void make()}>
              Make {d.count === 1 ? 'it' : `all ${d.count}`}
            </Button>
          )}
        </Row>
      )}
      {d && d.due.length > 0 && <Drafts list={d.due} />}
      {d && d.notNow.length > 0 && (
        <>
          <h3>Not now</h3>
          <Drafts list={d.notNow} />
        </>
      )}
      {d && d.keptApart.length > 0 && (
        <>
          <h3>On nobody’s statement</h3>
          <KeptApart list={d.keptApart} />
        </>
      )}
      <h3>Runs</h3>
      {runs.data?.length === 0 && <Empty>No run yet.</Empty>}
      {runs.data?.map((r) => (
        <Run key={r.id} run={r} />
      ))}
    </Stack>
  );
}

function Run({ run: r }: { run: Schemas['StatementRun'] }) {
  const times = useTimes();
  return (
    <Row data-run>
      <Mono>
        {times.full(r.at)} {times.time(r.at)}
      </Mono>
      <Small>{r.by}</Small>
      <span>{r.endedAt ? `${r.made} made` : `${r.made} of ${r.asked} made`}</span>
      {r.passedOver > 0 && <Small>{r.passedOver} not made</Small>}
      <Spread />
      {r.made > 0 && <a href={`/api/statements/runs/${r.id}/letters`}>Letters to print</a>}
    </Row>
  );
}

function Drafts({ list }: { list: Schemas['DraftView'][] }) {
  const identity = useIdentity();
  return (
    <Scroller>
      <Table>
        <tbody>
          {list.map((d) => (
            <tr key={d.guarantorId + d.to.id} data-draft={d.to.recordNumber}>
              <td>
                <Link to={`/people/${d.to.id}`}>{identity(d.to)}</Link>
              </td>
              <td>
                <Small>{d.visits === 0 ? 'carried over' : d.visits === 1 ? 'one visit' : `${d.visits} visits`}</Small>
              </td>
              <td>{d.way ? <Tag>{wayWord[d.way]}</Tag> : <Small>{d.notNow}</Small>}</td>
              <td className="number">
                <Mono>{dollars(d.cents)}</Mono>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}

export function KeptApart({ list }: { list: Schemas['KeptApartView'][] }) {
  const identity = useIdentity();
  return (
    <Scroller>
      <Table>
        <tbody>
          {list.map((k, n) => (
            <tr key={n} data-apart={k.person?.recordNumber}>
              <td>
                {k.visitId ? (
                  <Link to={`/visits/${k.visitId}/money`}>
                    {k.person ? identity(k.person) : 'a visit'}, {plainDate(k.day)}
                  </Link>
                ) : (
                  k.person && identity(k.person)
                )}
              </td>
              <td>
                <Small>{k.why}</Small>
              </td>
              <td className="number">
                <Mono>{dollars(k.cents)}</Mono>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}
