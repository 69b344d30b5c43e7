/** The chart in ten seconds: what a clinician wants to know before anything else. */

import { createContext, type ReactNode, useContext } from 'react';
import styled from 'styled-components';
import { type Schemas, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { dollars, useTimes } from '../../app/words';
import { Trend } from '../../ui/Trend';
import { part, phone, space } from '../../ui/tokens';
import { account } from '../money/queries';
import { Mono, Row, Small, Stack, Tag } from '../../ui/layout';
import { glance } from './queries';

type Glance = Schemas['ChartGlance'];

const tenths = (value: number) => (value % 10 === 0 ? String(value / 10) : (value / 10).toFixed(1));

/** The label beside its facts on the page, above them in the companion. */
const Facts = styled.div<{ $brief: boolean }>`
  ${(p) =>
    p.$brief
      ? ''
      : `display: grid; grid-template-columns: ${part.gutter} minmax(0, 1fr); gap: ${space(4)}; align-items: baseline;`}
  @media (max-width: ${phone}) {
    display: block;
  }
`;

const Brief = createContext(false);

function Line({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Facts $brief={useContext(Brief)}>
      <Small>{label}</Small>
      <Row $gap={1}>{children}</Row>
    </Facts>
  );
}

/** What was measured, each in a place of its own, so that values are read down. */
const Values = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${part.pane}, 1fr));
  gap: 0 ${space(4)};
  width: 100%;
  > div {
    display: grid;
    grid-template-columns: ${part.wideField} ${space(12)} ${space(24)} auto;
    justify-content: start;
    align-items: center;
    gap: ${space(2)};
  }
  @media (max-width: ${phone}) {
    > div {
      grid-template-columns: minmax(0, 1fr) ${space(12)} auto;
    }
    > div > span {
      display: none;
    }
  }
`;

/** Nothing on a list is either a statement or a question that nobody asked. */
function NothingOn({ list, view }: { list: 'allergies' | 'medicines' | 'problems'; view: Glance }) {
  const stated = view.noneKnown.some((n) => n.list === list);
  return <Tag $tone={stated ? 'kelp' : 'brass'}>{stated ? 'None known' : 'Nobody asked yet'}</Tag>;
}

/** `brief` for the companion: what must not be missed. */
export function GlanceAt({ person, brief = false }: { person: string; brief?: boolean }) {
  const times = useTimes();
  const look = useLook(glance(person));
  const word = useWordOf('measures');
  const may = useMay();
  const view = look.data;
  if (look.error?.is('restricted-chart')) return <Tag $tone="brass">Restricted chart: open it first</Tag>;
  if (!view) return null;
  const taken = view.medicines.filter((m) => m.state === 'taking');
  const problems = view.problems.filter((p) => p.state !== 'resolved');
  return (
    <Brief.Provider value={brief}>
      <Stack $gap={brief ? 3 : 2} data-glance>
        <Line label="Allergies">
          {view.allergies.length === 0 && <NothingOn list="allergies" view={view} />}
          {view.allergies.map((a) => (
            <Tag key={a.id} $tone="coral">
              {[a.substance, a.reaction].filter(Boolean).join(': ')}
            </Tag>
          ))}
        </Line>
        <Line label="Medicines">
          {taken.length === 0 && <NothingOn list="medicines" view={view} />}
          {taken.map((m) => (
            <Tag key={m.id}>{m.name}</Tag>
          ))}
        </Line>
        <Line label="Problems">
          {problems.length === 0 && <NothingOn list="problems" view={view} />}
          {problems.map((p) => (
            <Tag key={p.id} $tone="tide">
              {p.title}
            </Tag>
          ))}
        </Line>
        {!brief && view.measurements.length > 0 && (
          <Line label="Measured last">
            <Values>
              {view.measurements.map((m) => {
                const earlier = view.trends.find((t) => t.measure === m.measure)?.tenths ?? [];
                return (
                  <div key={m.id}>
                    <Small>{word(m.measure).toLowerCase()}</Small>
                    <Mono>{tenths(m.tenths)}</Mono>
                    <span>
                      <Trend values={earlier.map((t) => t / 10)} label={`${word(m.measure)}, earlier values`} />
                    </span>
                    <Small>{times.full(m.takenAt)}</Small>
                  </div>
                );
              })}
            </Values>
          </Line>
        )}
        {!brief && view.immunisations.length > 0 && (
          <Line label="Immunisations">
            {view.immunisations.map((words) => (
              <Tag key={words}>{words}</Tag>
            ))}
          </Line>
        )}
        {view.reports.length > 0 && (
          <Line label={view.unseen > 0 ? `Last results, ${view.unseen} not reviewed` : 'Last results'}>
            {view.reports.slice(0, brief ? 2 : 5).map((r) => (
              <span key={r.id}>
                {r.name || r.number} <Small>{times.full(r.receivedAt)}</Small>{' '}
                {!r.reviewedAt && <Tag $tone="brass">not reviewed</Tag>}
              </span>
            ))}
          </Line>
        )}
        {view.openOrders.length > 0 && (
          <Line label="Ordered, and not here yet">
            {view.openOrders.map((o) => (
              <Tag key={o.id}>{o.testName}</Tag>
            ))}
          </Line>
        )}
        {!brief && (view.lastVisit ?? view.nextVisit) && (
          <Line label="Visits">
            {view.lastVisit && (
              <span>
                <Small>last</Small> {times.full(view.lastVisit.startsAt)} <Small>{view.lastVisit.reason}</Small>
              </span>
            )}
            {view.nextVisit && (
              <span>
                <Small>next</Small> {times.full(view.nextVisit.startsAt)} <Small>{view.nextVisit.reason}</Small>
              </span>
            )}
          </Line>
        )}
        {!brief && may('see_charges') && <Owed person={person} />}
      </Stack>
    </Brief.Provider>
  );
}

function Owed({ person }: { person: string }) {
  const look = useLook(account(person));
  const owed = look.data?.owed.find((o) => o.who === 'patient');
  if (!owed || owed.cents === 0) return null;
  return (
    <Line label="Owed by the patient">
      <Mono>{dollars(owed.cents)}</Mono>
    </Line>
  );
}
