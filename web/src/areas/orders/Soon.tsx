/** How soon an order is wanted, where that is not as usual; in the words of the server. */

import type { Schemas } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { Tag } from '../../ui/layout';

export function Soon({ priority }: { priority: Schemas['Priority'] }) {
  const wordOf = useWordOf('priorities');
  return priority === 'routine' ? null : <Tag $tone="coral">{wordOf(priority)}</Tag>;
}
