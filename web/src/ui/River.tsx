/** The amount river: charged → written off → paid by payer → paid by patient → left, with the sentence of each. */

import styled from 'styled-components';
import type { Schemas } from '../api/client';
import { dollars } from '../app/words';
import { color, font, hair, size, space } from './tokens';

const tone: Record<string, string> = {
  written_off: color.quiet,
  paid_by_payer: color.tide,
  paid_by_patient: color.kelp,
  payer_owes: color.brass,
  patient_owes: color.coral,
};
const pattern: Record<string, string> = {
  written_off: `repeating-linear-gradient(135deg, ${color.quiet} 0 3px, transparent 3px 7px)`,
  payer_owes: `repeating-linear-gradient(90deg, ${color.brass} 0 6px, transparent 6px 9px)`,
};

const Bar = styled.div`
  display: flex;
  height: 22px;
  border-radius: 11px;
  overflow: hidden;
  background: ${color.well};
  border: ${hair};
  > span {
    min-width: 4px;
    border-right: 2px solid ${color.sheet};
  }
`;

const Sentences = styled.ul`
  margin-top: ${space(3)};
  display: flex;
  flex-direction: column;
  gap: ${space(1.5)};
  li {
    display: grid;
    grid-template-columns: 16px 1fr auto;
    gap: ${space(2)};
    align-items: center;
  }
  i {
    width: 14px;
    height: 14px;
    border-radius: 3px;
  }
  b {
    font: ${size.body} ${font.mono};
  }
`;

export function River({ river }: { river: Schemas['RiverView'] }) {
  const flow = river.parts.filter((p) => p.part !== 'charged' && p.cents > 0);
  const total = flow.reduce((sum, p) => sum + p.cents, 0);
  if (river.parts.length === 0) return <p>Nothing has been charged or paid yet.</p>;
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
        {river.parts.map((p) => (
          <li key={p.part} data-river={p.part}>
            <i aria-hidden style={{ background: pattern[p.part] ?? tone[p.part] ?? color.line }} />
            <span>{p.sentence}</span>
            <b>{dollars(p.cents)}</b>
          </li>
        ))}
      </Sentences>
    </div>
  );
}
