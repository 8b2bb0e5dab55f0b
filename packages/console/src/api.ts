import { ApiError, createClient, type CallInput, type EndpointName, type Endpoints, type ReplyOf } from '@primrose/contract';
import { QueryClient, useQuery, type UseQueryResult } from '@tanstack/react-query';

const client = createClient({ address: '' });

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => count < 2 && !(error instanceof ApiError && error.details.status < 500),
      refetchOnWindowFocus: true,
    },
  },
});

/** Calls the API; goes to the sign-in page when the session has ended. */
export async function call<N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>): Promise<ReplyOf<Endpoints[N]>> {
  try {
    return await client.call(name, input);
  } catch (error) {
    if (error instanceof ApiError && error.details.code === 'not-signed-in' && location.pathname !== '/sign-in')
      location.assign('/sign-in');
    throw error;
  }
}

/** Reads from the API and keeps the answer; `invalidate` of the same name fetches it anew. */
export function useCall<N extends EndpointName>(name: N, input: CallInput<Endpoints[N]>): UseQueryResult<ReplyOf<Endpoints[N]>> {
  return useQuery({ queryKey: [name, input], queryFn: () => call(name, input) });
}

export function invalidate(...names: EndpointName[]): void {
  for (const name of names) void queryClient.invalidateQueries({ queryKey: [name] });
}

/** What an error means to the person in front of the screen. */
export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
