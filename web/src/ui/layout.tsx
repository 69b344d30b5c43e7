import type { ReactNode } from 'react';
import styled from 'styled-components';
import {
  color,
  corner,
  font,
  hair,
  innerCorner,
  pageWidth,
  part,
  phone,
  ring,
  ringGap,
  size,
  space,
  stroke,
} from './tokens';

export const Page = styled.div`
  padding: ${space(6)} ${space(7)} ${space(10)};
  max-width: ${pageWidth};
  @media (max-width: ${phone}) {
    padding: ${space(4)};
  }
`;

export const WidePage = styled(Page)`
  max-width: none;
`;

export const Head = styled.header`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${space(2)} ${space(4)};
  margin-bottom: ${space(5)};
  > p {
    color: ${color.quiet};
  }
`;

export const Sheet = styled.section`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(4)} ${space(5)};
  margin-bottom: ${space(4)};
  > h2 {
    margin-bottom: ${space(3)};
  }
`;

export const Stack = styled.div<{ $gap?: number }>`
  display: flex;
  flex-direction: column;
  gap: ${(p) => space(p.$gap ?? 3)};
`;

export const Row = styled.div<{ $gap?: number; $align?: string }>`
  display: flex;
  flex-wrap: wrap;
  align-items: ${(p) => p.$align ?? 'center'};
  gap: ${(p) => space(p.$gap ?? 3)};
`;

export const Columns = styled.div<{ $min?: string }>`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${(p) => p.$min ?? part.wideField}, 1fr));
  gap: ${space(3)} ${space(4)};
  align-items: start;
`;

export const Quiet = styled.span`
  color: ${color.quiet};
`;

export const Small = styled.span`
  color: ${color.quiet};
  font-size: ${size.small};
`;

export const Mono = styled.span`
  font-family: ${font.mono};
  white-space: nowrap;
`;

export const Spread = styled.span`
  flex: 1;
`;

export const Empty = styled.p`
  color: ${color.quiet};
  padding: ${space(6)} ${space(5)};
  border: ${stroke.hair} dashed ${color.line};
  border-radius: ${corner};
  max-width: 64ch;
`;

export type Tone = 'kelp' | 'brass' | 'coral' | 'tide' | 'plain';

const ground = (tone: Tone) =>
  ({
    kelp: color.kelpGround,
    brass: color.brassGround,
    coral: color.coralGround,
    tide: color.tideGround,
    plain: color.well,
  })[tone];
const inkOf = (tone: Tone) =>
  ({ kelp: color.kelp, brass: color.brass, coral: color.coral, tide: color.tide, plain: color.quiet })[tone];

/** A word with a ground: state is never colour alone. */
export const Tag = styled.span<{ $tone?: Tone }>`
  display: inline-block;
  padding: ${stroke.hair} ${space(2)};
  border-radius: ${innerCorner};
  font-size: ${size.small};
  white-space: nowrap;
  background: ${(p) => ground(p.$tone ?? 'plain')};
  color: ${(p) => inkOf(p.$tone ?? 'plain')};
`;

export const Notice = styled.div<{ $tone?: Tone }>`
  padding: ${space(2.5)} ${space(3)};
  border-radius: ${corner};
  border-left: ${stroke.thick} solid ${(p) => inkOf(p.$tone ?? 'tide')};
  background: ${(p) => ground(p.$tone ?? 'tide')};
  color: ${color.ink};
`;

export const Table = styled.table`
  width: 100%;
  border-collapse: collapse;
  th {
    text-align: left;
    font-size: ${size.small};
    font-weight: 400;
    color: ${color.quiet};
    padding: ${space(1.5)} ${space(3)} ${space(1.5)} 0;
    border-bottom: ${hair};
    white-space: nowrap;
  }
  td {
    padding: ${space(2)} ${space(3)} ${space(2)} 0;
    border-bottom: ${hair};
    vertical-align: top;
  }
  &[data-tight] td {
    padding-block: ${space(0.25)};
    vertical-align: middle;
  }
  tr:last-child td {
    border-bottom: 0;
  }
  tfoot td {
    border-top: ${hair};
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  td.number {
    font-family: ${font.mono};
  }
  @media (max-width: ${phone}) {
    .wide {
      display: none;
    }
  }
  tr[data-selected='true'] td {
    background: ${color.selected};
  }
`;

export const Scroller = styled.div`
  overflow-x: auto;
`;

const Fixed = styled(Table)`
  table-layout: fixed;
  min-width: ${part.wideTable};
`;

/** A wide table whose columns keep their widths, in per cent, whatever stands in them. */
export function SteadyTable({ widths, children }: { widths: number[]; children: ReactNode }) {
  return (
    <Fixed>
      <colgroup>
        {widths.map((w, n) => (
          <col key={n} style={{ width: `${w}%` }} />
        ))}
      </colgroup>
      {children}
    </Fixed>
  );
}

/** A name in a list that opens in place. */
export const Opens = styled.button`
  all: unset;
  cursor: pointer;
  text-decoration: underline;
  text-underline-offset: ${ringGap};
  &:focus-visible {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;
