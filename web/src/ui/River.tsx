/** The amount river: charged → written off → paid by payer → paid by patient → left, with the sentence of each. */

import styled from 'styled-components';
import type { Schemas } from '../api/client';
import { owed } from '../app/words';
import { bars, color, fineHatch, font, hair, river, size, space, stroke } from './tokens';

const tone: Record<string, string> = {
  written_off: color.quiet,
  given_up: color.line,
  taken_off: color.line,
  paid_by_payer: color.tide,
  paid_by_patient: color.kelp,
  payer_owes: color.brass,
  second_payer_owes: color.tide,
  third_payer_owes: color.quiet,
  patient_owes: color.coral,
};
const pattern: Record<string, string> = {
  written_off: fineHatch(color.quiet),
  given_up: bars(color.quiet),
  taken_off: fineHatch(color.kelp),
  payer_owes: bars(color.brass),
  second_payer_owes: bars(color.tide),
  third_payer_owes: bars(color.quiet),
};

const Bar = styled.div`
  display: flex;
  height: ${river.height};
  border-radius: ${river.corner};
  overflow: hidden;
  background: ${color.well};
  border: ${hair};
  > span {
    min-width: ${river.least};
    border-right: ${stroke.thin} solid ${color.sheet};
  }
`;

const Sentences = styled.ul`
  margin-top: ${space(3)};
  display: flex;
  flex-direction: column;
  gap: ${space(1.5)};
  li {
    display: grid;
    grid-template-columns: ${river.column} 1fr auto;
    gap: ${space(2)};
    align-items: center;
  }
  i {
    width: ${river.swatch};
    height: ${river.swatch};
    border-radius: ${stroke.edge};
  }
  b {
    font: ${size.body} ${font.mono};
  }
`;

export function River({ parts }: { parts: Schemas['RiverPart'][] }) {
  const flow = parts.filter((p) => p.part !== 'charged' && p.cents > 0);
  const total = flow.reduce((sum, p) => sum + p.cents, 0);
  if (parts.length === 0) return <p>Nothing has been charged or paid yet.</p>;
  return (
    <div>
      <Bar aria-hidden>
        {flow.map((p) => (
          <span
            key={p.part}
            style={{ width: `${(100 * p.cents) / Math.max(total, 1)}%`, background: pattern[p.part] ?? tone[p.part] }}
          />
        ))}
      </Bar>
      <Sentences>
        {parts.map((p) => (
          <li key={p.part} data-river={p.part}>
            <i aria-hidden style={{ background: pattern[p.part] ?? tone[p.part] ?? color.line }} />
            <span>{p.sentence}</span>
            <b>{owed(p.cents)}</b>
          </li>
        ))}
      </Sentences>
    </div>
  );
}
