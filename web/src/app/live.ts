/** Live tidings: what somebody else saves, every screen that shows it looks at again. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { own, tell } from '../api/client';
import { askSession } from './presence';
import type { Tiding } from './tidings';

const EVERYTHING: Tiding[] = [{ topic: 'everything', id: '' }];

export function useLive(locked: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    // A locked screen hears nothing; once it is open it looks at everything again.
    if (locked) return () => void tell(client, EVERYTHING);
    const source = new EventSource('/api/live');
    let broken = false;
    source.onmessage = (event) => {
      const tiding = JSON.parse(event.data as string) as Tiding;
      // The answer to one's own change told the same already.
      if (!own.has(tiding)) void tell(client, [tiding]);
    };
    source.onopen = () => {
      // What was said while the line was down was not heard.
      if (broken) void tell(client, EVERYTHING);
      broken = false;
    };
    // The server ends the stream of a session that was locked or ended, wherever that was done.
    source.onerror = () => {
      broken = true;
      if (source.readyState !== EventSource.CLOSED) return;
      void askSession().catch(() => undefined);
    };
    return () => source.close();
  }, [client, locked]);
}
