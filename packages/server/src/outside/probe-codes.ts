import type { ConnectionTested } from '@primrose/contract';
import type { Failure } from '@primrose/core';
import { troubleOf } from './call.js';

/** What a failure on the way to a service is to somebody who tries a connection. */
export function isCode({ code, reason }: Failure): ConnectionTested['outcome'] {
  if (code === 'timeout') return 'too-slow';
  if (code === 'refused') return 'private-address';
  if (code !== 'unreachable') return 'other-form';
  const named = /\(([A-Z_0-9]+)\)/.exec(reason)?.[1] ?? '';
  const trouble = troubleOf(named);
  return trouble === 'name'
    ? 'unknown-name'
    : trouble === 'tls'
      ? 'no-tls'
      : trouble === 'refused'
        ? 'nothing-listens'
        : 'unreachable';
}
