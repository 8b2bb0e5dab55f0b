import { hashSecret, newId, newSecret, type Clock } from '../../base/clock.js';
import * as people from '../../store/people.js';
import { signIn, signOut } from '../auth.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';
import type { Db } from '../../store/database.js';

const TOKEN_PREFIX = 'prt_';

/** Makes a token and stores only its hash. */
export async function makeToken(
  { db, clock }: { readonly db: Db; readonly clock: Clock },
  personId: string,
  name: string,
): Promise<{ id: string; secret: string; at: Date }> {
  const secret = TOKEN_PREFIX + newSecret();
  const made = { id: newId(clock), secret, at: clock.now() };
  await people.insertToken(db, { id: made.id, personId, name, hash: hashSecret(secret), at: made.at });
  return made;
}

interface AccountParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secureCookies: boolean;
}

/** Sign-in, and tokens for programs. */
export function accountHandlers(parts: AccountParts): Handlers {
  const { db, clock, secureCookies } = parts;
  return {
    signIn: ({ body, res }) => signIn(db, clock, body.link, res, secureCookies),
    signOut: async ({ req, res }) => {
      await signOut(db, req, res);
      return undefined;
    },
    me: ({ person }) => Promise.resolve(person),
    listTokens: async ({ person }) => {
      const rows = await people.listTokens(db, person.id);
      const items = rows.map((r) => ({
        id: r.id,
        name: r.name,
        createdAt: r.created_at.toISOString(),
        lastUsedAt: r.last_used_at?.toISOString() ?? null,
      }));
      return { items, next: null };
    },
    createToken: async ({ person, body }) => {
      const made = await makeToken(parts, person.id, body.name);
      return { id: made.id, name: body.name, createdAt: made.at.toISOString(), lastUsedAt: null, secret: made.secret };
    },
    revokeToken: async ({ person, params }) => {
      const gone = await people.deleteToken(db, person.id, { id: params.token });
      if (gone === 0) throw new HttpProblem('not-found', 'There is no such token. It may have been revoked already.');
      return undefined;
    },
  };
}
