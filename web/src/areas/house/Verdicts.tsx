/** What became of each line of a file, or would: its verdict in a word and why; those that need a look first where there are many. */

import type { ReactNode } from 'react';
import { Mono, Scroller, Small, Table, Tag, type Tone } from '../../ui/layout';

interface Line {
  line: number;
  name: string;
  verdict: string;
  sentence: string;
}

/** So many are shown. */
const SHOWN = 200;

/** A verdict as it is shown, in the order in which they need a look. */
export type Shown = Record<string, { tone: Tone; word: string }>;

export function Verdicts<T extends Line>(p: { rows: T[]; verdicts: Shown; more?: (row: T) => ReactNode }) {
  const order = Object.keys(p.verdicts);
  const rank = (row: T) => order.indexOf(row.verdict);
  const rows = p.rows.length > SHOWN ? [...p.rows].sort((a, b) => rank(a) - rank(b)).slice(0, SHOWN) : p.rows;
  return (
    <>
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th className="number">Line</th>
              <th>Name</th>
              <th />
              <th>What it says</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.line} data-verdict={r.verdict}>
                <td className="number">
                  <Mono>{r.line}</Mono>
                </td>
                <td>{r.name}</td>
                <td>
                  <Tag $tone={p.verdicts[r.verdict]?.tone ?? 'plain'}>{p.verdicts[r.verdict]?.word}</Tag>
                </td>
                <td>
                  <Small>{r.sentence}</Small> {p.more?.(r)}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
      {p.rows.length > rows.length && (
        <Small>
          {rows.length} of {p.rows.length} lines are shown, those that need a look first.
        </Small>
      )}
    </>
  );
}
