/** Live tidings: whatever one person saves, every screen looks at again. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { lookingAgain } from '../api/client';
import { askSession } from './presence';

/** Which questions each topic makes stale. */
const stale: Record<string, string[]> = {
  visit: [
    'visit',
    'today',
    'schedule',
    'clinic-now',
    'chart',
    'charges',
    'money',
    'person-visits',
    'claims',
    'results',
  ],
  person: ['person', 'visit', 'today', 'schedule', 'clinic-now', 'chart', 'coverages', 'people'],
  result: ['results', 'today', 'chart'],
  claim: ['claims', 'claim', 'today', 'visit', 'batches'],
  batch: ['batches', 'claims', 'claim'],
  remittance: ['remittances', 'claims', 'claim', 'money', 'today', 'visit'],
  schedule: ['schedule', 'supply', 'open-times', 'slot-history', 'rebooking'],
  waiting: ['waiting', 'for-slot'],
  message: ['messages'],
  groups: ['groups'],
  prices: ['charges', 'services', 'today', 'visit'],
};

export function useLive(locked: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    // A locked screen hears nothing; once it is open it looks at everything again.
    if (locked) return () => void lookingAgain(() => client.invalidateQueries());
    const source = new EventSource('/api/live');
    source.onmessage = (event) => {
      const tiding = JSON.parse(event.data as string) as { topic: string };
      const keys = stale[tiding.topic];
      lookingAgain(() => {
        if (keys) for (const key of keys) void client.invalidateQueries({ queryKey: [key] });
        else void client.invalidateQueries();
      });
    };
    // The server ends the stream of a session that was locked or ended, wherever that was done.
    source.onerror = () => {
      if (source.readyState !== EventSource.CLOSED) return;
      void askSession().catch(() => undefined);
    };
    return () => source.close();
  }, [client, locked]);
}
