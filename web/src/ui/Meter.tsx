/** How far something long has come: a bar, and in words. */

import type { ReactNode } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Small, Stack } from './layout';
import { color, innerCorner, space } from './tokens';

const Track = styled.div`
  height: ${space(2)};
  border-radius: ${innerCorner};
  background: ${color.line};
  overflow: hidden;
`;

const Fill = styled.div`
  height: 100%;
  background: ${color.tide};
`;

export function Meter(p: { 'aria-label': string; value: number; maxValue: number; children: ReactNode }) {
  return (
    <Aria.ProgressBar aria-label={p['aria-label']} value={p.value} maxValue={p.maxValue}>
      {({ percentage }) => (
        <Stack $gap={1}>
          <Small role="status">{p.children}</Small>
          <Track>
            <Fill style={{ width: `${percentage ?? 0}%` }} />
          </Track>
        </Stack>
      )}
    </Aria.ProgressBar>
  );
}
