/** The strip of facts over the note: what must be seen before anything is written, each opened, changed and closed in its place. */

import type { ReactNode } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { color, hair, innerCorner, part, phone, size, space } from '../../ui/tokens';
import { Growth } from './Growth';
import { Histories } from './Histories';
import { Asked, askedInWords } from './Asked';
import { Mark } from '../orders/marks';
import { type Fact, useWriting } from './writing';
import { NoteHead } from './NoteHead';
import { Allergies } from './Allergies';
import { Measurements } from './Measurements';
import { Medicines } from './Medicines';
import { Problems } from './Problems';
import { PrescriptionsOf } from '../prescribing/OfPerson';
import { States } from '../prescribing/States';

type Chart = Schemas['ChartView'];

const Strip = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${part.pane}, 1fr));
  gap: 0 ${space(4)};
`;

/** A fact on one line of the page: what it is, and what is known. */
const Line = styled.button`
  display: grid;
  grid-template-columns: ${part.gutter} minmax(0, 1fr);
  gap: ${space(4.75)};
  align-items: baseline;
  padding: ${space(0.75)} ${space(1)};
  margin: 0 -${space(1)};
  text-align: left;
  border: 0;
  border-radius: ${innerCorner};
  background: transparent;
  cursor: pointer;
  &:hover {
    background: ${color.well};
  }
  &[aria-expanded='true'] {
    background: ${color.selected};
  }
  > span:first-child {
    font-size: ${size.small};
    color: ${color.quiet};
  }
  > span:last-child {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  &[data-stop='true'] > span:last-child {
    color: ${color.coral};
    font-weight: 600;
  }
  &[data-asks='true'] > span:last-child {
    color: ${color.brass};
  }
  @media (max-width: ${phone}) {
    > span:last-child {
      white-space: normal;
    }
  }
`;

const Opened = styled.section`
  margin-top: ${space(2)};
  padding: ${space(3)} 0 0;
  border-top: ${hair};
`;

const value = (m: Schemas['Measurement']) => `${m.measure === 'visual_acuity' ? '20/' : ''}${m.tenths / 10}`;
const sign = (m: Schemas['Measurement']) => (m.standing === 'high' ? ' ▲' : m.standing === 'low' ? ' ▼' : '');

/** What was measured in this visit, each beside what it was before; a pressure as one. */
function useMeasured(chart: Chart, visit: string): string[] {
  const kinds = useWords('measures');
  const of = (id: string) => chart.measurements.filter((m) => m.measure === id);
  const told: string[] = [];
  for (const { id, label } of kinds) {
    const [latest] = of(id).filter((m) => m.visitId === visit);
    if (!latest || id === 'diastolic') continue;
    const before = of(id).find((m) => m.visitId !== visit);
    if (id === 'systolic') {
      const low = of('diastolic').find((m) => m.visitId === visit);
      const lowBefore = of('diastolic').find((m) => m.visitId !== visit);
      const was = before && lowBefore ? ` (${value(before)}/${value(lowBefore)})` : '';
      told.push(`${value(latest)}/${low ? value(low) : '?'}${sign(latest) || (low ? sign(low) : '')}${was}`);
    } else {
      told.push(`${label.toLowerCase()} ${value(latest)}${sign(latest)}${before ? ` (${value(before)})` : ''}`);
    }
  }
  return told;
}

/** Whether somebody looked through the list, and the key to say so. */
function Reviewed({ chart, visit, list }: { chart: Chart; visit: string; list: Schemas['ReviewedList'] }) {
  const may = useMay();
  const times = useTimes();
  const { run, busy, refusal } = useDo();
  const params = { path: { id: visit, list } };
  const review = chart.reviews.find((r) => r.list === list);
  if (review)
    return (
      <Row $gap={2}>
        <Small data-list-reviewed={list}>
          ✓ Reviewed by {review.reviewedBy}, {times.full(review.reviewedAt)} {times.time(review.reviewedAt)}
        </Small>
        {may('record_vitals') && (
          <Button
            $kind="quiet"
            isDisabled={busy}
            onPress={() => void run(() => api.DELETE('/api/visits/{id}/lists/{list}/reviewed', { params }))}
          >
            Take back
          </Button>
        )}
        {refusal && <Small role="alert">{refusal.message}</Small>}
      </Row>
    );
  if (!may('record_vitals')) return null;
  return (
    <Button
      $kind="quiet"
      isDisabled={busy}
      onPress={() => void run(() => api.PUT('/api/visits/{id}/lists/{list}/reviewed', { params }))}
    >
      Mark as reviewed
    </Button>
  );
}

function Results({ chart }: { chart: Chart }) {
  const times = useTimes();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const review = (id: string) =>
    run(() => api.POST('/api/results/{id}/review', { params: { path: { id } }, body: { comment: '' } }));
  if (chart.reports.length === 0) return <p>No results yet.</p>;
  return (
    <Stack $gap={3}>
      {refusal && <Small role="alert">{refusal.message}</Small>}
      {chart.reports.map((r) => (
        <div key={r.id}>
          <Row $gap={2}>
            <Small>{times.full(r.receivedAt)}</Small>
            {r.reviewedAt ? (
              <Small>
                ✓ Reviewed by {r.reviewedBy}, {times.full(r.reviewedAt)}
              </Small>
            ) : (
              <>
                <Tag $tone="brass">not reviewed</Tag>
                {may('review_results') && (
                  <Button
                    $kind="quiet"
                    isDisabled={busy}
                    aria-label={`Sign the result of ${times.full(r.receivedAt)} as reviewed`}
                    onPress={() => void review(r.id)}
                  >
                    Sign as reviewed
                  </Button>
                )}
              </>
            )}
          </Row>
          <Table>
            <tbody>
              {r.values.map((x, n) => (
                <tr key={n}>
                  <td>{x.name}</td>
                  <td className="number">{x.words}</td>
                  <td>
                    <Mark flag={x.flag} />
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      ))}
    </Stack>
  );
}

export function Facts(p: { chart: Chart; of: Schemas['Visit']; first: Fact | null }) {
  const { chart, first } = p;
  const visit = p.of.id;
  const { fact, setFact } = useWriting();
  const shown = fact === undefined ? first : fact;
  const setShown = setFact;
  const measured = useMeasured(chart, visit);
  const none = (list: string) => chart.noneKnown.some((n) => n.list === list);
  const said = (list: string, words: string[]) =>
    words.length > 0 ? words.join(' · ') : none(list) ? 'None known' : 'Nobody asked yet';
  // Of which nobody knows whether it is taken stands there too, as a question.
  const taken = chart.medicines
    .filter((m) => m.state === 'taking' || m.state === 'unknown')
    .map((m) => (m.state === 'unknown' ? `${m.name}?` : m.name));
  const problems = chart.problems.filter((p) => p.state !== 'resolved').map((p) => p.title);
  const unseen = chart.unseenResults;
  const title = {
    measured: 'Measured',
    allergies: 'Allergies',
    medicines: 'Medicines',
    problems: 'Problems',
    histories: 'Histories',
    results: 'Results',
    asked: 'Asked',
    visit: 'Visit',
  };
  const words: Record<Fact, string> = {
    measured: measured.join(' · ') || 'Nothing yet',
    allergies: said(
      'allergies',
      chart.allergies.map((a) => [a.substance, a.reaction].filter(Boolean).join(': ')),
    ),
    medicines: said('medicines', taken),
    problems: said('problems', problems),
    histories: chart.histories.map((h) => h.words).join(' · ') || 'Nothing told yet',
    results: chart.reports.length === 0 ? 'None' : unseen > 0 ? `${unseen} not reviewed` : 'All reviewed',
    asked: askedInWords(chart, visit),
    visit: chart.heading,
  };
  const content: Record<Fact, ReactNode> = {
    measured: (
      <Stack>
        <Measurements chart={chart} visit={visit} />
        {chart.growing && <Growth person={chart.person.id} />}
      </Stack>
    ),
    allergies: <Allergies chart={chart} />,
    medicines: (
      <Stack>
        <Medicines chart={chart} />
        <States chart={chart} />
        <h3>Prescribed here</h3>
        <PrescriptionsOf
          person={chart.person.id}
          {...(!chart.signature && !chart.struck && { visit, diagnoses: chart.diagnoses })}
        />
      </Stack>
    ),
    problems: <Problems chart={chart} />,
    histories: <Histories person={chart.person.id} histories={chart.histories} />,
    results: <Results chart={chart} />,
    asked: <Asked chart={chart} visit={visit} />,
    visit: <NoteHead key={visit} chart={chart} visit={p.of} />,
  };
  const facts: Fact[] = ['allergies', 'measured', 'medicines', 'problems', 'histories', 'results', 'asked', 'visit'];
  const alarms = chart.asked.filter((a) => a.visitId === visit).flatMap((a) => a.alarms);
  return (
    <>
      {alarms.map((sentence) => (
        <Notice key={sentence} $tone="coral" role="alert" data-alarm style={{ marginBottom: space(2) }}>
          {sentence}
        </Notice>
      ))}
      {chart.harms.map((sentence) => (
        <Notice key={sentence} $tone="brass" role="alert" data-harm style={{ marginBottom: space(2) }}>
          {sentence}
        </Notice>
      ))}
      <Strip role="group" aria-label="Facts">
        {facts.map((f) => (
          <Line
            key={f}
            type="button"
            data-fact={f}
            data-stop={f === 'allergies' && chart.allergies.length > 0}
            data-asks={words[f] === 'Nobody asked yet' || (f === 'results' && unseen > 0)}
            title={words[f]}
            aria-expanded={shown === f}
            onClick={() => setShown(shown === f ? null : f)}
          >
            <span>{title[f]}</span>
            <span>
              {chart.reviews.some((r) => r.list === f) && '✓ '}
              {words[f]}
            </span>
          </Line>
        ))}
      </Strip>
      {shown && (
        <Opened
          aria-label={title[shown]}
          data-opened={shown}
          onKeyDown={(event) => {
            if (event.key === 'Escape') setShown(null);
          }}
        >
          <Row style={{ marginBottom: space(2) }}>
            <h2>{title[shown]}</h2>
            <Spread />
            {(shown === 'allergies' || shown === 'medicines' || shown === 'problems' || shown === 'histories') && (
              <Reviewed chart={chart} visit={visit} list={shown} />
            )}
            <Button $kind="quiet" aria-label={`Close ${title[shown]}`} onPress={() => setShown(null)}>
              ✕
            </Button>
          </Row>
          {content[shown]}
        </Opened>
      )}
    </>
  );
}
