/** One small client: typed by the server's API document, with problems as values that a form can show. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import createClient from 'openapi-fetch';
import { useCallback, useState } from 'react';
import { lockScreen, untilOpen } from '../app/lock';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Problem = Schemas['Problem'];

let csrf = '';
export const setCsrf = (word: string) => {
  csrf = word;
};

let again = false;
/** Whatever is asked in here looks again at what is on the screen already: it is no new look at anybody. */
export function lookingAgain<T>(work: () => T): T {
  const before = again;
  again = true;
  try {
    return work();
  } finally {
    again = before;
  }
}

/** What is asked of the session itself is asked of a locked one too. */
const ofSession = (url: string) =>
  ['/api/session', '/api/sign-', '/api/set-password'].some((part) => url.includes(part));

/** While the screen is locked everything waits, and what the lock refused is asked again once it is open. */
async function throughTheLock(request: Request): Promise<Response> {
  if (ofSession(request.url)) return fetch(request);
  await untilOpen();
  const copy = request.clone();
  const response = await fetch(request);
  if (response.status !== 401) return response;
  const problem = (await response
    .clone()
    .json()
    .catch(() => null)) as Problem | null;
  if (problem?.type === 'urn:indigo-harbor:locked') {
    lockScreen();
    await untilOpen();
    if (csrf) copy.headers.set('x-harbor-csrf', csrf);
    return throughTheLock(copy);
  }
  if (!request.url.endsWith('/api/me')) window.dispatchEvent(new Event('harbor-signed-out'));
  return response;
}

export const api = createClient<paths>({ baseUrl: '', fetch: throughTheLock });
api.use({
  onRequest({ request }) {
    if (csrf) request.headers.set('x-harbor-csrf', csrf);
    if (again) request.headers.set('x-harbor-again', '1');
    return request;
  },
});

/** A refusal of the server, or of the line to it. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
  fault(field: string): string | undefined {
    return this.problem.fields?.find((f) => f.field === field)?.sentence;
  }
  is(kind: string): boolean {
    return this.problem.type === `urn:indigo-harbor:${kind}`;
  }
}

const unreachable: Problem = {
  type: 'urn:indigo-harbor:offline',
  title: 'Offline',
  status: 0,
  detail: 'The clinic’s server does not answer. What you typed is still here; try again in a moment.',
  fields: [],
};

/** The data of an answer, or a thrown Refusal. */
export async function take<T>(answer: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  let settled: { data?: T; error?: unknown };
  try {
    settled = await answer;
  } catch {
    throw new Refusal(unreachable);
  }
  if (settled.error !== undefined || settled.data === undefined) {
    const problem = settled.error as Problem | undefined;
    throw new Refusal(problem?.detail ? problem : unreachable);
  }
  return settled.data;
}

/** Reads something and keeps it fresh: live tidings make every screen look again. */
export function useLook<T>(
  key: readonly unknown[],
  read: () => Promise<{ data?: T; error?: unknown }>,
  enabled = true,
) {
  return useQuery<T, Refusal>({ queryKey: key, queryFn: () => take(read()), enabled });
}

/** Does something once at a time, keeps its refusal for the form, and refreshes what is shown. */
export function useDo() {
  const client = useQueryClient();
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const run = useCallback(
    async <T>(act: () => Promise<{ data?: T; error?: unknown }>): Promise<T | undefined> => {
      setBusy(true);
      setRefusal(null);
      try {
        const data = await take(act());
        await lookingAgain(() => client.invalidateQueries());
        return data;
      } catch (error) {
        if (error instanceof Refusal) setRefusal(error);
        else throw error;
        return undefined;
      } finally {
        setBusy(false);
      }
    },
    [client],
  );
  return { run, busy, refusal, setRefusal };
}
