/** What stands on the screen while an answer is on its way, when none comes, and when an older one is still shown. */

import styled, { keyframes } from 'styled-components';
import type { Refusal } from '../api/client';
import { useSession } from '../app/session';
import { Button } from './controls';
import { Notice, Row, Spread, Stack } from './layout';
import { color, innerCorner, space } from './tokens';

interface Look {
  data: unknown;
  error: Refusal | null;
  refetch: () => unknown;
  isFetching: boolean;
  dataUpdatedAt: number;
}

/** Whether there is nothing to show: no answer yet, or one that says that it is not there or not ours to see. */
export const unanswered = (look: Look): boolean =>
  look.data === undefined || (look.error !== null && [403, 404].includes(look.error.problem.status));

const appear = keyframes`
  to { opacity: 1; }
`;

/* A quick answer shows no sign of waiting. */
const Shape = styled.div`
  opacity: 0;
  animation: ${appear} 0.2s 0.25s forwards;
`;

const Bar = styled.div`
  height: ${space(5)};
  border-radius: ${innerCorner};
  background: ${color.selected};
`;

/** The shape of what comes: bars, shorter ones below. */
export function Coming({ rows = 5 }: { rows?: number }) {
  return (
    <Shape role="status" aria-busy aria-label="Being fetched">
      <Stack $gap={3}>
        {Array.from({ length: rows }, (_, n) => (
          <Bar key={n} style={{ width: `${96 - 12 * (n % 4)}%` }} />
        ))}
      </Stack>
    </Shape>
  );
}

/** In place of what has no answer: its shape while it is fetched, or why it does not come and how to try again. */
export function Unanswered({ look, rows }: { look: Look; rows?: number }) {
  if (!look.error) return <Coming {...(rows ? { rows } : {})} />;
  return (
    <Notice $tone="brass" role="alert">
      <Row>
        <span>{look.error.message}</span>
        <Spread />
        <Button isDisabled={look.isFetching} onPress={() => void look.refetch()}>
          Try again
        </Button>
      </Row>
    </Notice>
  );
}

const Above = styled(Notice)`
  margin-bottom: ${space(4)};
`;

/** Says that what is shown is from before, because no newer answer comes. */
export function AsOf({ look }: { look: Look }) {
  // The minute of the session's clock draws it anew; how long ago it was, this computer's own clock tells.
  useSession();
  if (!look.error || unanswered(look)) return null;
  const minutes = Math.floor((Date.now() - look.dataUpdatedAt) / 60_000);
  return (
    <Above $tone="brass" role="alert">
      <Row>
        <span>
          No newer answer comes; this is what the clinic’s server said {minutes < 1 ? 'just now' : `${minutes} min ago`}
          .
        </span>
        <Spread />
        <Button isDisabled={look.isFetching} onPress={() => void look.refetch()}>
          Try again
        </Button>
      </Row>
    </Above>
  );
}
