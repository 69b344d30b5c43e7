/** The words of a note as they are read: its parts and its runs; struck ones can still be read. */

import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { PartRead } from './PartField';
import { Runs } from './Runs';
import { signedOf } from './writing';

type Chart = Schemas['ChartView'];

/** The parts of the note as a whole: before the runs, and after them; those that only older notes have are shown when written. */
export const before: [Schemas['NotePart'], string, string][] = [
  ['reason', 'Reason', 'Why the patient comes'],
  ['history', 'History', ''],
  ['past_history', 'Past history', 'Past, family and social history in words'],
  ['systems', 'Systems', 'Review of systems'],
  ['examination', 'Examination', 'General examination'],
];
export const after: [Schemas['NotePart'], string, string][] = [
  ['assessment', 'Assessment', ''],
  ['plan', 'Plan', ''],
  ['procedures', 'Procedures', 'Procedures done'],
  ['advice', 'Advice', 'What the patient was advised'],
];
/** Written in a run as soon as there is one. */
export const ofRuns: Schemas['NotePart'][] = ['history', 'assessment', 'plan'];

/** The words of the note; struck ones can still be read. */
export const Written = styled.div<{ $struck: boolean }>`
  ${(p) => p.$struck && 'p { text-decoration: line-through; }'}
`;

export const savedOf = (chart: Chart, of: Schemas['NotePart']) =>
  chart.parts.find((x) => x.part === of && (x.runId ?? null) === null);

/** A note that is only read. */
export function NoteBody({ visit, chart }: { visit: string; chart: Chart }) {
  const part = ([id, label]: (typeof before)[number]) => (
    <PartRead key={id} label={label} saved={savedOf(chart, id)} signed={signedOf(chart, savedOf(chart, id))} />
  );
  return (
    <Written $struck={chart.struck != null}>
      {before.map(part)}
      <Runs visit={visit} chart={chart} open={false} orders={false} fixed />
      {after.map(part)}
    </Written>
  );
}
