/** One small client: typed by the server's API document, with problems as values that a form can show. */

import {
  type Query,
  type QueryClient,
  queryOptions,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import createClient from 'openapi-fetch';
import { useCallback } from 'react';
import { lockScreen, untilOpen } from '../app/lock';
import { type Hears, makesStale, OwnChanges, readTold, type Tiding } from '../app/tidings';
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

type Answer<T> = Promise<{ data?: T; error?: unknown; response?: Response }>;
type Hearing<T> = readonly Hears[] | ((data: T | undefined) => readonly Hears[]);

/**
 * A question of a noun, as its `queries.ts` names it: the key, what it hears (by its data, where that tells the ids), and how
 * it is asked. What hears nothing hangs on nothing: a code table, a date as typed.
 */
export const look = <T>(key: readonly unknown[], hears: Hearing<T>, read: () => Answer<T>) =>
  queryOptions<T, Refusal>({ queryKey: key, queryFn: () => take(read()), meta: { hears } });

/** Asks, and keeps what is shown fresh: tidings make it look again. */
export const useLook = <T>(question: ReturnType<typeof look<T>>, enabled = true) => useQuery({ ...question, enabled });

/** Looks again at what these tidings make stale, and at nothing else. */
export function tell(client: QueryClient, tidings: readonly Tiding[]) {
  const stale = (query: Query) => {
    const hears = query.meta?.['hears'] as Hearing<unknown>;
    const heard = typeof hears === 'function' ? hears(query.state.data) : hears;
    return tidings.some((tiding) => makesStale(tiding, heard));
  };
  return lookingAgain(() => client.invalidateQueries({ predicate: stale }));
}

/** Changes made at this screen. */
export const own = new OwnChanges();

/** Sends a change and refreshes just what its answer says that it touched. */
export async function change<T>(client: QueryClient, act: () => Answer<T>): Promise<T> {
  let told: Tiding[] = [];
  try {
    return await take(
      act().then((answer) => {
        told = readTold(answer.response?.headers.get('x-harbor-told') ?? null);
        own.add(told);
        return answer;
      }),
    );
  } finally {
    if (told.length > 0) await tell(client, told);
  }
}

/** Tells of each deed that was done, once it was; what is saved while somebody types is none. */
export const deeds = new EventTarget();

/** What was said a moment ago is on its way: whoever signs or sends waits until it is there, for at most so long. */
const MOST_WAITED = 10_000;

export function useSaid() {
  const client = useQueryClient();
  return useCallback(async () => {
    const begun = Date.now();
    while (client.isMutating() > 0 && Date.now() - begun < MOST_WAITED)
      await new Promise((resolve) => setTimeout(resolve, 20));
  }, [client]);
}

/** Does something, tells whether it is under way, and keeps its refusal for the form. */
export function useDo() {
  const client = useQueryClient();
  const { mutateAsync, isPending, error, reset } = useMutation<unknown, Error, () => Answer<unknown>>({
    mutationFn: (act) => change(client, act),
    // The clinic's server is on the clinic's own line: what the browser thinks of the internet says nothing about it.
    networkMode: 'always',
  });
  const run = useCallback(
    async <T>(act: () => Answer<T>): Promise<T | undefined> => {
      try {
        const done = (await mutateAsync(act)) as T;
        deeds.dispatchEvent(new Event('done'));
        return done;
      } catch (error) {
        if (error instanceof Refusal) return undefined;
        throw error;
      }
    },
    [mutateAsync],
  );
  return { run, busy: isPending, refusal: error instanceof Refusal ? error : null, forget: reset };
}
