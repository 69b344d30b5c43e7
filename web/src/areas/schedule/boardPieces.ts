/** What the board is drawn with: its grid, lanes, cards and lines. */

import type { CSSProperties } from 'react';
import styled from 'styled-components';
import {
  cardInset,
  color,
  edges,
  edgeWidth,
  font,
  grounds,
  hair,
  hatch,
  innerCorner,
  ring,
  ringGap,
  size,
  space,
  timeWidth,
} from '../../ui/tokens';

export const Grid = styled.div`
  display: grid;
  overflow: auto;
  flex: 1;
  min-height: 0;
  align-content: start;
  /* What gets the focus is not brought to a place behind the heads or the hours. */
  scroll-padding: ${space(14)} ${space(2)} ${space(2)} ${timeWidth};
  /* No room on the left: what is scrolled away would show there, beside the hours. */
  padding: 0 ${space(5)} ${space(6)} 0;
`;

export const HeadCell = styled.div`
  position: sticky;
  top: 0;
  z-index: 4;
  background: ${color.paper};
  border-bottom: ${hair};
  padding: ${space(1.5)} ${space(2)};
  line-height: 1.25;
  strong {
    display: block;
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
`;

export const Axis = styled.div`
  position: sticky;
  left: 0;
  z-index: 3;
  background: ${color.paper};
  span {
    position: absolute;
    right: ${space(2)};
    transform: translateY(-50%);
    font: ${size.small} ${font.mono};
    color: ${color.quiet};
  }
`;

export const Lane = styled.div`
  position: relative;
  border-left: ${hair};
  min-width: 0;
  /* Nothing in a lane moves anything outside of it, so that the browser need not look. */
  contain: strict;
`;

export const Now = styled.div`
  position: absolute;
  left: 0;
  right: 0;
  z-index: 2;
  height: 0;
  border-top: ${ringGap} solid ${color.coral};
  pointer-events: none;
`;

/** How a block of a visit type is drawn. By variables, since a style of its own for each would be worked out anew for
 *  every one of some hundred blocks. */
export const blockLooks = (pattern = 'solid', ground = 'sheet') =>
  ({ '--edge': edges[pattern] ?? 'solid', '--ground': grounds[ground] ?? color.sheet }) as CSSProperties;

export const Block = styled.button`
  position: absolute;
  left: ${cardInset};
  right: ${cardInset};
  overflow: hidden;
  padding: ${space(0.5)} ${space(2)};
  text-align: left;
  border: ${hair};
  border-left: ${edgeWidth} var(--edge) ${color.indigo};
  border-radius: ${innerCorner};
  background: var(--ground);
  cursor: pointer;
  line-height: 1.25;
  font-size: ${size.small};
  transition: none;
  [data-tight='true'] > & {
    padding: ${space(0.5)} ${space(1)};
  }
  &:hover {
    border-color: ${color.indigo};
    z-index: 2;
  }
  &[data-selected='true'] {
    outline: ${ring};
    z-index: 2;
  }
  &[data-open='true'] {
    background: transparent;
    border-style: dashed;
    border-left-style: var(--edge);
    border-left-color: ${color.line};
    color: ${color.quiet};
  }
  &[data-open='true']:hover {
    border-color: ${color.indigo};
    color: ${color.indigo};
    background: ${color.sheet};
  }
  &[data-over='true'] {
    color: ${color.quiet};
    border-left-color: ${color.quiet};
  }
  &[data-ranged='true'] {
    border-color: ${color.indigo};
    background: ${color.selected};
  }
  /* By colours and not by opacity, which makes a picture of its own of every card; and at once. */
  &[data-faint='true'] {
    background: transparent;
    border-left-color: ${color.line};
    color: ${color.quiet};
    strong {
      font-weight: 400;
    }
  }
`;

/** The name gives way, the age and the stage do not. */
export const CardLine = styled.div`
  display: flex;
  align-items: center;
  gap: ${space(1)};
  white-space: nowrap;
  overflow: hidden;
  strong,
  span {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  strong {
    font-size: ${size.body};
    font-weight: 600;
  }
  /* The strip gives way before the words do. */
  &[data-tight='false'] > span:not([role='img']) {
    flex-shrink: 0;
  }
  &[data-tight='true'] strong {
    font-size: ${size.small};
  }
`;

export const Held = styled.button`
  border: 0;
  text-align: left;
  position: absolute;
  left: ${cardInset};
  right: ${cardInset};
  border-radius: ${innerCorner};
  padding: ${space(0.5)} ${space(2)};
  font-size: ${size.small};
  color: ${color.quiet};
  background: ${hatch(color.well)};
`;

export const Pinned = styled.button`
  position: absolute;
  right: ${cardInset};
  max-width: 80%;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  z-index: 2;
  transform: translateY(-50%);
  padding: 0 ${space(1.5)};
  border: ${hair};
  border-radius: ${innerCorner};
  background: ${color.brassGround};
  color: ${color.brass};
  font-size: ${size.small};
`;

export const Foot = styled.p`
  min-height: ${space(8)};
  padding: ${space(1.5)} ${space(5)};
  border-top: ${hair};
  background: ${color.sheet};
  font-size: ${size.small};
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
`;
