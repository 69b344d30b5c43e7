/** Results that wait: values against ranges and earlier ones; review, comment, sign. */

import { Form, Refused } from '../../ui/Form';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { plainDate, useIdentity, useTimes } from '../../app/words';
import { usePersonInHand } from '../people/inHand';
import { FindPerson } from '../people/FindPerson';
import { Restricted } from '../visit_line/Restricted';
import { Button, Field } from '../../ui/controls';
import {
  Empty,
  Head,
  Mono,
  Notice,
  Row,
  Scroller,
  Sheet,
  Small,
  Spread,
  Stack,
  Table,
  Tag,
  WidePage,
} from '../../ui/layout';
import styled from 'styled-components';
import { color, corner, hair, half, part, space } from '../../ui/tokens';
import { Trend } from '../../ui/Trend';
import { results } from './queries';

type View = Schemas['ResultView'];
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

const abnormal = (v: View) => v.report.content.filter((x) => x.flag && x.flag !== 'N').length;

function Detail({ view }: { view: View }) {
  const times = useTimes();
  const may = useMay();
  const [comment, setComment] = useState('');
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: view.report.id } } };
  const before = view.before?.content ?? [];
  if (view.closed && view.person)
    return (
      <Sheet>
        <Restricted
          person={view.person.id}
          message="This chart is under restriction; so is its result. It opens with a reason, which is recorded and told to the manager."
        />
      </Sheet>
    );
  return (
    <Sheet>
      <Stack $gap={4}>
        <Row>
          <h2>{view.order?.testName ?? `Report ${view.report.number}`}</h2>
          <Tag $tone={view.report.status === 'corrected' ? 'brass' : 'plain'}>{view.report.status}</Tag>
          <Spread />
          <Small>
            {times.full(view.report.issuedAt)} {times.time(view.report.issuedAt)}
          </Small>
        </Row>
        {!view.person && (
          <Notice $tone="brass">
            The person is not certain. Nothing is filed by guess: find the person whom this result belongs to.
          </Notice>
        )}
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Test</th>
                <th className="number">Value</th>
                <th />
                <th>Usual range</th>
                <th className="wide">Earlier</th>
              </tr>
            </thead>
            <tbody>
              {view.report.content.map((v) => {
                const old = before.find((b) => b.loinc === v.loinc)?.number;
                const earlier = view.earlier
                  .filter((e) => e.loinc === v.loinc)
                  .sort((a, b) => a.at.localeCompare(b.at));
                const low = v.flag?.startsWith('L');
                return (
                  <tr key={v.loinc + v.name}>
                    <td>{v.name}</td>
                    <td className="number">
                      {v.number ?? v.text} <Small>{v.unit}</Small>
                      {old != null && old !== v.number && (
                        <div>
                          <Small>
                            was <s>{old}</s>
                          </Small>
                        </div>
                      )}
                    </td>
                    <td>
                      {v.flag && v.flag !== 'N' && (
                        <Tag $tone={v.flag.length > 1 ? 'coral' : 'brass'}>
                          {low ? '▼' : '▲'} {v.flagLabel}
                        </Tag>
                      )}
                    </td>
                    <td>
                      <Mono>
                        {v.low ?? ''}–{v.high ?? ''}
                      </Mono>
                    </td>
                    <td className="wide">
                      <Row $gap={2}>
                        <Trend
                          values={[...earlier.map((e) => e.number), ...(v.number == null ? [] : [v.number])]}
                          label={v.name}
                        />
                        {earlier.length > 0 && <Small>{earlier.at(-1)?.number}</Small>}
                      </Row>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </Table>
        </Scroller>
        {may('review_results') &&
          (view.person ? (
            <Form
              refusal={refusal}
              onSave={() => run(() => api.POST('/api/results/{id}/review', { ...path, body: { comment } }))}
            >
              <Field name="comment" label="Comment" value={comment} onChange={setComment} lines={2} />
              <Refused />
              <Row>
                <Spread />
                <Button $kind="filled" isDisabled={busy} type="submit">
                  Sign as reviewed
                </Button>
              </Row>
            </Form>
          ) : (
            <FindPerson
              label="File under"
              onTake={(p) => void run(() => api.POST('/api/results/{id}/match', { ...path, body: { personId: p.id } }))}
            />
          ))}
      </Stack>
    </Sheet>
  );
}

export default function Results() {
  const { me, discreet, setInHand } = useSession();
  const identity = useIdentity();
  const times = useTimes();
  const look = useLook(results());
  const [params] = useSearchParams();
  const [chosen, setChosen] = useState<string | null>(params.get('result'));
  const list = [...(look.data ?? [])].sort((a, b) => {
    const own = (v: View) => (v.order?.ordererId === me.staff.id ? 0 : 1);
    return own(a) - own(b) || abnormal(b) - abnormal(a) || a.report.receivedAt.localeCompare(b.report.receivedAt);
  });
  // Nobody chosen: whoever is in hand comes first, then the first of the list.
  const hand = usePersonInHand()?.id;
  const chosenAt = list.findIndex((v) => v.report.id === chosen);
  const handAt = list.findIndex((v) => v.person && v.person.id === hand);
  const at = Math.max(0, chosenAt >= 0 ? chosenAt : handAt);
  const current = list[at];
  const step = (by: number) => setChosen(list[Math.min(list.length - 1, Math.max(0, at + by))]?.report.id ?? null);
  useKeys({ '[': () => step(-1), ']': () => step(1) });
  const person = current?.person?.id;
  useEffect(() => {
    if (person) setInHand({ person });
  }, [person, setInHand]);
  return (
    <WidePage>
      <Head>
        <h1>Results</h1>
        {look.data && <p>{list.length} wait for review</p>}
      </Head>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} rows={8} />}
      {look.data && list.length === 0 && (
        <Empty>No result waits. What the laboratory sends appears here by itself.</Empty>
      )}
      <Split>
        <div>
          {list.map((v) => (
            <Item
              key={v.report.id}
              type="button"
              aria-current={v === current}
              onClick={() => setChosen(v.report.id)}
              data-result={v.order?.testCode ?? v.report.number}
            >
              <strong>{v.person ? identity(v.person) : 'Person uncertain'}</strong>
              <br />
              <Small>
                {v.person
                  ? [v.person.age, !discreet && plainDate(v.person.birthDate)].filter(Boolean).join(', ')
                  : `report ${v.report.number}`}{' '}
                · {times.since(v.report.receivedAt)}
              </Small>
              <br />
              {v.closed ? 'Restricted chart' : (v.order?.testName ?? v.report.content[0]?.name)}{' '}
              {abnormal(v) > 0 && <Tag $tone="brass">{abnormal(v)} outside</Tag>}{' '}
              {v.report.status === 'corrected' && <Tag $tone="brass">corrected</Tag>}
            </Item>
          ))}
        </div>
        {current && <Detail key={current.report.id} view={current} />}
      </Split>
    </WidePage>
  );
}
