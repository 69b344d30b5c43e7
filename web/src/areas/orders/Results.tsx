/** Results that wait, the most pressing first; one beside the list, read and signed. */

import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { plainDate, useIdentity, useTimes } from '../../app/words';
import { Button, Tabs } from '../../ui/controls';
import { Empty, Head, Notice, Row, Small, Spread, Tag, WidePage } from '../../ui/layout';
import { color, corner, hair, half, part, space } from '../../ui/tokens';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { usePersonInHand } from '../people/inHand';
import { OpenOrders } from './OpenOrders';
import { Review } from './Review';
import { Renewals } from '../prescribing/Renewals';
import { results } from './queries';

type Waiting = Schemas['WaitingResult'];

const Split = styled.div`
  display: grid;
  grid-template-columns: minmax(${part.lane}, ${part.list}) minmax(0, 1fr);
  gap: ${space(5)};
  align-items: start;
  @media (max-width: ${half}) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Item = styled.button`
  display: block;
  width: 100%;
  text-align: left;
  padding: ${space(2.5)} ${space(3)};
  margin-bottom: ${space(2)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: pointer;
  &[aria-current='true'] {
    background: ${color.selected};
    border-color: ${color.indigo};
  }
`;

function Line({ v, current, choose }: { v: Waiting; current: boolean; choose: () => void }) {
  const { discreet } = useSession();
  const identity = useIdentity();
  const times = useTimes();
  const urgencyOf = useWordOf('urgencies');
  const seen = v.looks.some((l) => l.me);
  const others = v.looks.filter((l) => !l.me).map((l) => l.name);
  return (
    <Item
      type="button"
      aria-current={current}
      onClick={choose}
      data-result={v.testCode ?? v.number}
      data-urgency={v.urgency}
    >
      <strong>{v.person ? identity(v.person) : 'Person uncertain'}</strong>
      <br />
      <Small>
        {v.person
          ? [v.person.age, !discreet && plainDate(v.person.birthDate)].filter(Boolean).join(', ')
          : (!discreet && v.named) || `report ${v.number}`}{' '}
        · {times.since(v.receivedAt)}
      </Small>
      <br />
      {v.closed ? 'Restricted chart' : v.name}{' '}
      {v.urgency === 'critical' && <Tag $tone="coral">{urgencyOf(v.urgency)}</Tag>}{' '}
      {v.urgency !== 'critical' && v.outside > 0 && <Tag $tone="brass">{v.outside} outside</Tag>}{' '}
      {v.status === 'corrected' && <Tag $tone="brass">corrected</Tag>}{' '}
      {v.status === 'preliminary' && <Tag>preliminary</Tag>}
      {(seen || others.length > 0 || (!v.mine && v.reader)) && (
        <>
          <br />
          <Small>
            {[
              !v.mine && v.reader && `for ${v.reader}`,
              seen && 'you looked at it',
              others.length > 0 && `looked at by ${others.join(', ')}`,
            ]
              .filter(Boolean)
              .join(' · ')}
          </Small>
        </>
      )}
    </Item>
  );
}

/** All that are as usual and were looked at, signed with one press; each other says why it stays. */
function Together({ list, finish }: { list: Waiting[]; finish: (ids: string[]) => void }) {
  const { run, busy, refusal } = useDo();
  const [left, setLeft] = useState<string[]>([]);
  const usual = list.filter((v) => v.together);
  const sign = async () => {
    const done = await run(() => api.POST('/api/results/review-usual', { body: { ids: usual.map((v) => v.id) } }));
    const name = (id: string) => usual.find((v) => v.id === id)?.name ?? '';
    finish(done?.signed ?? []);
    setLeft(done?.left.map((l) => `${name(l.id)}: ${l.why}`) ?? []);
  };
  return (
    <>
      {usual.length > 1 && (
        <Button isDisabled={busy} onPress={() => void sign()}>
          Sign the {usual.length} as usual that you looked at
        </Button>
      )}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      {left.map((sentence) => (
        <Notice key={sentence} $tone="brass">
          {sentence}
        </Notice>
      ))}
    </>
  );
}

function ToRead() {
  const { inHand, setInHand } = useSession();
  const may = useMay();
  const [params] = useSearchParams();
  const reads = may('review_results');
  const [all, setAll] = useState(false);
  const [chosen, setChosen] = useState<string | null>(params.get('result') || null);
  const look = useLook(results(all));
  // What one has done with oneself makes way at once.
  const [done, setDone] = useState<string[]>([]);
  const waiting = look.data?.waiting ?? [];
  const list = waiting.filter((v) => !done.includes(v.id));
  useEffect(() => {
    // It may come to wait again: taken away from a chart, it does.
    setDone((ids) => (ids.every((id) => waiting.some((v) => v.id === id)) ? ids : []));
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [look.data]);
  // Nobody chosen: whoever was in hand on the way here comes first, then the first of the list. Until it is known who
  // that is nobody is shown, for whoever is shown is in hand.
  const hand = usePersonInHand()?.id;
  const [came, setCame] = useState(hand);
  if (came === undefined && hand !== undefined) setCame(hand);
  const knows = inHand === null || came !== undefined;
  const first = list.find((v) => v.person && v.person.id === came) ?? list[0];
  // What is read stays before the eyes until its reader goes on: a hand that signs must never sign what came instead.
  if (chosen === null && knows && first) setChosen(first.id);
  const at = list.findIndex((v) => v.id === chosen);
  const current = at >= 0 ? list[at] : undefined;
  // One that waits no more, and one of another reader.
  const alone = chosen !== null && at < 0 && !done.includes(chosen);
  const step = (by: number) => setChosen(list[Math.min(list.length - 1, Math.max(0, at + by))]?.id ?? null);
  const finish = (ids: string[]) => {
    setDone((before) => [...before, ...ids]);
    if (chosen !== null && ids.includes(chosen)) setChosen(null);
  };
  useKeys({ '[': () => step(-1), ']': () => step(1) });
  const person = current?.person?.id;
  useEffect(() => {
    if (person) setInHand({ person });
  }, [person, setInHand]);
  const count = look.data?.count ?? 0;
  return (
    <>
      <Row style={{ marginBottom: space(3) }}>
        {look.data && (
          <Small>
            {count} wait for review{count > list.length && `; the ${list.length} most pressing are shown`}
          </Small>
        )}
        <Spread />
        {reads && <Together list={list} finish={finish} />}
        {reads && (
          <Button $kind="quiet" aria-pressed={all} onPress={() => setAll(!all)}>
            {all ? 'Mine and nobody’s only' : 'Those of all readers'}
          </Button>
        )}
      </Row>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} rows={8} />}
      {look.data && list.length === 0 && !chosen && (
        <Empty>No result waits. What the laboratory sends appears here by itself.</Empty>
      )}
      <Split>
        <div>
          {list.map((v) => (
            <Line key={v.id} v={v} current={v === current} choose={() => setChosen(v.id)} />
          ))}
        </div>
        {current ? (
          <Review
            key={current.id}
            id={current.id}
            closed={current.closed}
            person={person ?? null}
            finish={() => finish([current.id])}
          />
        ) : (
          alone &&
          look.data && <Review key={chosen} id={chosen} closed={false} person={null} finish={() => setChosen(null)} />
        )}
      </Split>
    </>
  );
}

export default function Results() {
  const [params, setParams] = useSearchParams();
  const asked = params.get('tab');
  const tab = asked === 'ordered' || asked === 'renewals' ? asked : 'read';
  const may = useMay();
  return (
    <WidePage>
      <Head>
        <h1>Results</h1>
      </Head>
      <Tabs
        label="Results"
        value={tab}
        onChange={(to) => setParams(to === 'read' ? {} : { tab: to }, { replace: true })}
        items={[
          { id: 'read', label: 'To read', content: <ToRead /> },
          { id: 'ordered', label: 'Ordered, not here yet', content: <OpenOrders /> },
          ...(may('write_note') ? [{ id: 'renewals', label: 'Renewals asked for', content: <Renewals /> }] : []),
        ]}
      />
    </WidePage>
  );
}
