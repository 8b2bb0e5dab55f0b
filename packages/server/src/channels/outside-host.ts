import { checkedAddress, RefusedAddress, refusedReason, type AllowedAddresses } from '../outside/agent.js';
import { troubleOf } from '../outside/call.js';
import { NoLine } from './channel.js';

/** The address of a server of a channel, resolved once and checked as every call to the outside is. Ends in NoLine where it may not be called. */
export async function outsideHost(host: string, allowed: AllowedAddresses): Promise<string> {
  try {
    return (await checkedAddress(host, allowed)).address;
  } catch (error) {
    if (error instanceof RefusedAddress) throw new NoLine(refusedReason(host));
    throw new NoLine(`no machine is known as ${host}`);
  }
}

/** Why a server could not be reached, in a sentence. */
export function noLine(where: string, error: unknown): NoLine {
  if (error instanceof NoLine) return error;
  const { code = '', message = '' } = error as { code?: string; message?: string };
  const says = {
    name: 'no machine of this name is known',
    tls: 'its certificate or its encryption is not accepted',
    refused: 'nothing listens at this address',
    other: message.slice(0, 200) || code || 'no reason given',
  }[troubleOf(code)];
  return new NoLine(`${where}: ${says}`);
}
