/** A large picture of values over time, as wide as there is room. */

import styled from 'styled-components';
import { color, curves, font, size } from './tokens';

export const Drawing = styled.svg`
  width: 100%;
  max-width: ${curves.wide}px;
  height: auto;
  text {
    font: ${size.small} ${font.words};
    fill: ${color.quiet};
  }
`;
