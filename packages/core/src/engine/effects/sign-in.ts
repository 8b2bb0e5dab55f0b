import { z } from 'zod';
import type { Immutable } from '../../document/shapes.js';
import { defineEffect, failure, failureOf, place } from './effect.js';

const request = z.strictObject({
  type: z.literal('sign-in'),
  ...place,
  does: z
    .enum(['ways', 'send', 'try'])
    .describe('asks how the visitor can sign in here; has a code sent to a mailbox; tries the code that they say'),
  email: z.string().optional(),
  code: z.string().optional(),
  language: z.string(),
});
const result = z.union([
  z.strictObject({
    outcome: z.literal('ways'),
    mail: z.boolean().describe('by a code that is sent to their mailbox'),
    elsewhere: z.boolean().describe('by something that the channel shows beside the talk'),
  }),
  z.strictObject({ outcome: z.literal('code-sent') }),
  z.strictObject({ outcome: z.literal('signed-in'), name: z.string().nullable(), email: z.string().nullable() }),
  z.strictObject({ outcome: z.literal('wrong-code'), left: z.int().describe('how often more it can be tried') }),
  z.strictObject({ outcome: z.literal('no-code') }).describe('there is no code that is valid'),
  failure,
]);

/** A step of signing in by what is said. */
export type SignInEffect = Immutable<z.infer<typeof request>>;
export type SignInResult = Immutable<z.infer<typeof result>>;

export const signIn = defineEffect<'sign-in', SignInEffect, SignInResult>({
  type: 'sign-in',
  request,
  result,
  journaled: ({ does }) => (does === 'ways' ? 'after' : 'around'),
  // Another code takes the place of the first; a code that was right already is right once more for the same conversation.
  repeatable: () => true,
  failed: failureOf,
  shown: true,
  name: ({ does }) => `sign-in ${does}`,
  spoken: ({ does }) => (does === 'send' ? 'the code by mail' : 'the sign-in'),
  whole: ({ does, email = '' }) => `sign-in: ${does} ${email}`.trim(),
  came: (came) => (came.outcome === 'wrong-code' ? `wrong, ${came.left} tries left` : came.outcome),
  likeness: ({ does, email = null }) => ({ does, email }),
  // Nobody need know the code but the visitor.
  stored: ({ code, ...rest }) => (code === undefined ? rest : { ...rest, code: '…' }),
});

/** The code that is right where no mail goes out: in simulations and rehearsals. */
export const PRACTICE_CODE = '123456';

/** Signing in as it goes in simulations and rehearsals: nothing is sent, and one code is right. `email` is where it was said to be sent. */
export function practiceSignIn({ does, code, email }: SignInEffect): SignInResult {
  if (does === 'ways') return { outcome: 'ways', mail: true, elsewhere: false };
  if (does === 'send') return { outcome: 'code-sent' };
  if (code !== PRACTICE_CODE) return { outcome: 'wrong-code', left: 4 };
  return { outcome: 'signed-in', name: null, email: email ?? null };
}
