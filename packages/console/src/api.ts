import {
  ApiError,
  createClient,
  everyPage,
  type CallInput,
  type EndpointName,
  type Endpoints,
  type FileContent,
  type LiveEvent,
  type ReplyOf,
  type TurnRecord,
} from '@primrose/contract';
import { QueryClient, useQuery, type UseQueryResult } from '@tanstack/react-query';

/** A save of so many characters at most outlives its page: browsers send 64 KiB in all for pages that were left (the Fetch standard). */
const OUTLIVES = 20_000;

/** A save that is under way when its page is left is made all the same. */
const send: typeof fetch = (input, init) => {
  const keepalive = init?.method === 'PATCH' && typeof init.body === 'string' && init.body.length <= OUTLIVES;
  return fetch(input, keepalive ? { ...init, keepalive } : init);
};

const client = createClient({ address: '', fetch: send });

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => count < 2 && !(error instanceof ApiError && error.details.status < 500),
      refetchOnWindowFocus: true,
    },
  },
});

/** Goes to the sign-in page when the session has ended. */
async function signedIn<T>(work: Promise<T>): Promise<T> {
  try {
    return await work;
  } catch (error) {
    if (error instanceof ApiError && error.details.code === 'not-signed-in' && location.pathname !== '/sign-in')
      location.assign('/sign-in');
    throw error;
  }
}

/** More than this of one conversation is not held in a window. */
const MOST_PAGES = 20;

/** Calls the API. */
export function call<N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>): Promise<ReplyOf<Endpoints[N]>> {
  return signedIn(client.call(name, input));
}

/** What comes last of a turn that is told while it runs. */
const ENDS: ReadonlySet<string> = new Set(['turn', 'paused', 'problem']);

/** Calls the API and is told of what happens while it happens. What `onEvent` throws ends it. */
export function stream<N extends EndpointName>(
  name: N,
  input: CallInput<Endpoints[N]>,
  onEvent: (event: LiveEvent) => void,
): Promise<void> {
  let last = '';
  const told = (event: string, data: unknown) => {
    last = event;
    onEvent({ event, ...(data as object) } as LiveEvent);
  };
  const work = async () => {
    await client.stream(name, input, told);
    if (!ENDS.has(last))
      throw new Error('The line broke before the turn was done. Open the conversation again to see what came of it.');
  };
  return signedIn(work());
}

/** Sends a file to the API. */
export function upload<N extends EndpointName>(
  name: N,
  input: CallInput<Endpoints[N]>,
  file: FileContent,
): Promise<ReplyOf<Endpoints[N]>> {
  return signedIn(client.upload(name, input, file));
}

/** The content type of a file that a person chose, by its name. */
export function uploadType(name: string): string {
  return name.toLowerCase().endsWith('.zip') ? 'application/zip' : 'application/json';
}

/** Reads from the API and keeps the answer; `invalidate` of the same name fetches it anew. Nothing is fetched before it is `wanted`; another `key` fetches it anew. */
export function useCall<N extends EndpointName>(
  name: N,
  input: CallInput<Endpoints[N]>,
  wanted = true,
  { key, everyMs }: { readonly key?: string | number; /** It is asked again so often. */ readonly everyMs?: number } = {},
): UseQueryResult<ReplyOf<Endpoints[N]>> {
  return useQuery({
    queryKey: [name, input, ...(key === undefined ? [] : [key])],
    queryFn: () => call(name, input),
    enabled: wanted,
    ...(everyMs === undefined ? {} : { refetchInterval: everyMs }),
  });
}

/** All turn sheets of a conversation, as far as some pages of them go. */
export function everyTurn(bot: string, conversation: string): Promise<TurnRecord[]> {
  return everyPage((query) => call('listTurns', { params: { bot, conversation }, query }), MOST_PAGES);
}

/** The same, kept; `invalidate` of `listTurns` fetches them anew. */
export function useTurns(bot: string, conversation: string): UseQueryResult<TurnRecord[]> {
  return useQuery({ queryKey: ['listTurns', bot, conversation], queryFn: () => everyTurn(bot, conversation) });
}

export function invalidate(...names: EndpointName[]): void {
  for (const name of names) void queryClient.invalidateQueries({ queryKey: [name] });
}

/** What was asked for is not there, or is no affair of whoever asks. */
export function isNotFound(error: unknown): boolean {
  return error instanceof ApiError && error.details.status === 404;
}

/** What an error means to the person in front of the screen. */
export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
