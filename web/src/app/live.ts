/** Live tidings: what somebody else saves, every screen that shows it looks at again. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { own, tell } from '../api/client';
import { askSession } from './presence';
import type { Tiding } from './tidings';

/** How far something long has come. */
export interface Progress {
  topic: 'progress';
  id: string;
  done: number;
  of: number;
}

type Heard = Progress | Tiding;

/** Where it is told; it makes nothing stale. */
const progress = new EventTarget();

/** How far what goes on under this id has come; nothing before it is told. */
export function useProgress(id: string | null): Progress | null {
  const [last, setLast] = useState<Progress | null>(null);
  useEffect(() => {
    const hear = (event: Event) => setLast((event as CustomEvent<Progress>).detail);
    progress.addEventListener('progress', hear);
    return () => progress.removeEventListener('progress', hear);
  }, []);
  return last?.id === id ? last : null;
}

const EVERYTHING: Tiding[] = [{ topic: 'everything', id: '' }];

/** `told` is how much the server had told before anything was asked here. */
export function useLive(locked: boolean, told: number) {
  const client = useQueryClient();
  const before = useRef(told);
  useEffect(() => {
    // A locked screen hears nothing; once it is open it looks at everything again.
    if (locked) return () => void tell(client, EVERYTHING);
    const source = new EventSource('/api/live');
    let broken = false;
    source.onmessage = (event) => {
      const tiding = JSON.parse(event.data as string) as Heard;
      if (tiding.topic === 'progress') {
        progress.dispatchEvent(new CustomEvent('progress', { detail: tiding }));
        return;
      }
      // The answer to one's own change told the same already.
      if (!own.has(tiding)) void tell(client, [tiding]);
    };
    // What was told after something was answered here and before the line stood was not heard either.
    source.addEventListener('begin', (event: MessageEvent<string>) => {
      const now = Number(event.data);
      if (!broken && now !== before.current) void tell(client, EVERYTHING);
      before.current = now;
    });
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
