/** The chart in ten seconds: what a clinician wants to know before anything else. */

import type { ReactNode } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Mono, Row, Small, Stack, Tag } from '../../ui/layout';
import { glance } from './queries';

type Glance = Schemas['ChartGlance'];

const tenths = (value: number) => (value % 10 === 0 ? String(value / 10) : (value / 10).toFixed(1));

function Line({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div>
      <Small>{label}</Small>
      <Row $gap={1}>{children}</Row>
    </div>
  );
}

/** Nothing on a list is either a statement or a question that nobody asked. */
function NothingOn({ list, view }: { list: 'allergies' | 'medicines' | 'problems'; view: Glance }) {
  const stated = view.noneKnown.some((n) => n.list === list);
  return <Tag $tone={stated ? 'kelp' : 'brass'}>{stated ? 'None known' : 'Nobody asked yet'}</Tag>;
}

/** `brief` for the companion: what must not be missed. */
export function GlanceAt({ person, brief = false }: { person: string; brief?: boolean }) {
  const times = useTimes();
  const look = useLook(glance(person));
  const view = look.data;
  if (look.error?.is('restricted-chart')) return <Tag $tone="brass">Restricted chart: open it first</Tag>;
  if (!view) return null;
  const taken = view.medicines.filter((m) => m.state === 'taking');
  const problems = view.problems.filter((p) => p.state !== 'resolved');
  return (
    <Stack $gap={3} data-glance>
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
          {view.measurements.map((m) => (
            <span key={m.id}>
              <Small>{m.measure.replaceAll('_', ' ')}</Small> <Mono>{tenths(m.tenths)}</Mono>{' '}
              <Small>{times.full(m.takenAt)}</Small>
            </span>
          ))}
        </Line>
      )}
      {view.reports.length > 0 && (
        <Line label="Last results">
          {view.reports.slice(0, brief ? 2 : 5).map((r) => (
            <span key={r.id}>
              {r.content[0]?.name ?? r.number} <Small>{times.full(r.receivedAt)}</Small>{' '}
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
    </Stack>
  );
}
