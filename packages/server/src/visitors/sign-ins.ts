import { asksSignIn, type KnownAs } from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { BotLoader } from '../bots/loader.js';
import { Counted } from '../channels/events.js';
import { secretOfKey, SERVICE_SECRET } from '../channels/web-chat/setting.js';
import { backFrom, readStoredChat } from '../channels/web-chat/web-chat.js';
import { channelOwner, seal, unseal, type Secrets } from '../outside/secrets.js';
import { settingsNow, type ServingChannel } from '../store/channels.js';
import { stateColumn } from '../store/columns.js';
import { findConversation } from '../store/conversations.js';
import type { Db } from '../store/database.js';
import { transaction } from '../store/hot.js';
import * as known from '../store/known.js';
import { changeVariables } from '../store/persons.js';
import type { Turns } from '../turns/turns.js';
import type { Wakes } from '../turns/wakes.js';
import { type SignInCodes } from './codes.js';
import { type IdentityServices, newNonce, newVerifier, type ServiceClaims } from './identity-service.js';
import { mailboxOf, spokenAs, type SignedIn } from './signed-in.js';
import { claimedVariables, readToken } from './tokens.js';

const HOUR_MS = 3_600_000;
const UNDER_WAY_MS = 600_000;
const GRANT_MS = 120_000;

export interface SignInParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly secrets: Secrets;
  readonly turns: Pick<Turns, 'take'>;
  readonly wakes: Wakes;
  readonly codes: SignInCodes;
  readonly services: IdentityServices;
  readonly publicUrl: string;
  /** With which what goes out and comes back is sealed. */
  readonly key: Uint8Array;
}

/** Somebody at a web chat: the channel, the digest of their key, and the conversation in which they are. */
export interface AtChat {
  readonly channel: ServingChannel;
  readonly keyHash: string;
  readonly conversationId: string | null;
}

/** What is sealed into the state that goes to an identity service, and what comes back from it for the chat. */
interface UnderWay {
  readonly channel: string;
  readonly keyHash: string;
  readonly nonce: string;
  readonly verifier: string;
  readonly until: number;
}
interface Grant {
  readonly channel: string;
  readonly keyHash: string;
  readonly claims: ServiceClaims;
  readonly until: number;
}

/** Visitors who show who they are: by a token of the host page, a code by mail, or an identity service. */
export class SignIns {
  readonly #parts: SignInParts;
  /** Tokens can be sent by anybody: what is wrong with them is counted, a row a reason. */
  readonly #counted: Counted;

  constructor(parts: SignInParts) {
    this.#parts = parts;
    this.#counted = new Counted(parts);
  }

  /** Signs a key in by a token of the page that shows the chat. Refuses a token that is not believed, and counts why on the channel. */
  async byToken(at: AtChat, token: string): Promise<KnownAs> {
    const { clock, secrets, loader } = this.#parts;
    const { channel } = at;
    const stored = readStoredChat(channel.settings);
    const held = await secrets.open(channelOwner(channel.id));
    const { issuer } = stored.signIn;
    const secretOf = (key: { id: string }) => held[secretOfKey(key.id)];
    const read = await readToken(token, { keys: stored.keys, secretOf, issuer }, clock.now());
    if (!read.ok) return this.#distrust(channel, read.fault);
    const { claims } = read;
    const loaded = channel.live_id === null ? undefined : await loader.release(channel.live_id);
    const { values, misfits } = loaded ? claimedVariables(loaded.bot.document, claims.all) : { values: {}, misfits: [] };
    if (misfits.length > 0)
      this.#counted.refused(channel.id, `of a token, ${misfits.join(', ')} did not fit the variable's type and was left out`);
    try {
      return await this.#finish(at, {
        issuer: issuer === null ? `token ${channel.id}` : `token ${issuer}`,
        subject: claims.subject,
        who: { name: claims.name, email: claims.email },
        mailbox: claims.emailVerified ? claims.email : null,
        by: secretOfKey(claims.key),
        issuedAt: claims.issuedAt,
        values,
      });
    } catch (error) {
      if (error instanceof Refused && error.code === 'token-fault') return this.#distrust(channel, 'withdrawn');
      throw error;
    }
  }

  #distrust({ id }: ServingChannel, fault: Parameters<typeof refusedToken>[0]): never {
    this.#counted.refused(id, `a token was not believed: ${fault}`);
    throw refusedToken(fault);
  }

  /** Sends a code to a mailbox, for a key or a conversation. */
  async sendCode(channel: ServingChannel, holder: string, email: string, language: string): Promise<void> {
    if (!readStoredChat(channel.settings).signIn.mail) throw new Refused('no-sign-in', { by: 'mail' });
    const name = channel.bot_name;
    const came = await this.#parts.codes.send({ botId: channel.bot_id, holder, email: email.toLowerCase(), name, language });
    if (!came.sent) throw new Refused('code-not-sent', came);
  }

  /** Signs a key in by a code that was sent to a mailbox. */
  async byCode(at: AtChat, code: string): Promise<KnownAs> {
    const came = await this.#parts.codes.try(at.keyHash, code);
    if (came.right) return this.#finish(at, mailboxOf(came.email));
    throw came.why === 'wrong' ? new Refused('code-wrong', { left: came.left }) : new Refused('code-none', {});
  }

  /** Begins a sign-in by the identity service of a web chat: the address to open. */
  async begin({ channel, keyHash }: AtChat): Promise<string> {
    const { clock, services, publicUrl } = this.#parts;
    const under: UnderWay = {
      channel: channel.address,
      keyHash,
      nonce: newNonce(),
      verifier: newVerifier(),
      until: clock.now().getTime() + UNDER_WAY_MS,
    };
    const { nonce, verifier } = under;
    const asked = { redirect: backFrom(publicUrl), state: this.#seal('state', under), nonce, verifier };
    try {
      return await services.address(await this.#service(channel), asked);
    } catch (error) {
      throw serviceFault(error);
    }
  }

  /**
   * What an identity service says of somebody whom it sent back. It signs nobody in yet: the chat that began it has to show it with its
   * own key, so that nobody can have somebody else sign in for them.
   */
  async back(channelAt: (address: string) => Promise<ServingChannel>, url: URL): Promise<string> {
    const state = url.searchParams.get('state') ?? '';
    const under = this.#unseal<UnderWay>('state', state);
    const channel = await channelAt(under.channel);
    try {
      const claims = await this.#parts.services.claims(await this.#service(channel), url, { ...under, state });
      const until = this.#parts.clock.now().getTime() + GRANT_MS;
      return this.#seal('grant', { channel: channel.address, keyHash: under.keyHash, claims, until } satisfies Grant);
    } catch (error) {
      throw serviceFault(error);
    }
  }

  /** Signs a key in by what `back` has handed out for it. */
  async byGrant(at: AtChat, sealed: string): Promise<KnownAs> {
    const grant = this.#unseal<Grant>('grant', sealed);
    if (grant.keyHash !== at.keyHash || grant.channel !== at.channel.address)
      throw new Refused('service-fault', { reason: 'this sign-in was begun in another window' });
    const service = readStoredChat(at.channel.settings).signIn.service;
    if (!service) throw new Refused('no-sign-in', { by: 'service' });
    const { claims } = grant;
    return this.#finish(at, {
      issuer: `service ${service.issuer}`,
      subject: claims.subject,
      who: claims.who,
      mailbox: claims.emailVerified ? claims.who.email : null,
      by: 'service',
    });
  }

  async #service(channel: ServingChannel) {
    const { service } = readStoredChat(channel.settings).signIn;
    if (!service) throw new Refused('no-sign-in', { by: 'service' });
    const held = await this.#parts.secrets.open(channelOwner(channel.id));
    return { issuer: service.issuer, client: service.client, secret: held[SERVICE_SECRET] };
  }

  #seal(what: string, value: UnderWay | Grant): string {
    return Buffer.from(seal(Buffer.from(this.#parts.key), JSON.stringify(value), what)).toString('base64url');
  }

  #unseal<T extends { readonly until: number }>(what: string, sealed: string): T {
    const gone = () => new Refused('service-fault', { reason: 'this sign-in is over, or was never begun here' });
    let value: T;
    try {
      value = JSON.parse(unseal(Buffer.from(this.#parts.key), Buffer.from(sealed, 'base64url').toString(), what)) as T;
    } catch {
      throw gone();
    }
    if (value.until < this.#parts.clock.now().getTime()) throw gone();
    return value;
  }

  /** Lets a key speak for a person. A conversation in which they were asked to sign in goes on as theirs; any other stays whose it was. */
  async #finish({ channel, keyHash, conversationId }: AtChat, signed: SignedIn): Promise<KnownAs> {
    const { db, clock, wakes } = this.#parts;
    const at = clock.now();
    const { hours } = readStoredChat(channel.settings).signIn;
    const asked = conversationId !== null && (await this.#asks(conversationId)) ? conversationId : null;
    const botId = channel.bot_id;
    const id = () => newId(clock);
    const taken = await transaction(db, async (hot) => {
      // Looked at here once more, so that nobody comes in by a key while it is withdrawn.
      if (signed.issuedAt !== undefined) {
        const { keys } = readStoredChat(await settingsNow(hot, channel.id));
        if (!keys.some((k) => secretOfKey(k.id) === signed.by)) throw refusedToken('withdrawn');
      }
      const mailHash = signed.mailbox === null ? null : hashSecret(signed.mailbox);
      const vouched = { botId, issuer: signed.issuer, subjectHash: hashSecret(signed.subject), who: signed.who, mailHash, at };
      const personId = await known.ensurePerson(hot, vouched, id);
      const from = await known.validFrom(hot, personId);
      if (signed.issuedAt !== undefined && from !== null && (signed.issuedAt ?? new Date(0)) < from)
        throw refusedToken('withdrawn');
      const changes = Object.entries(signed.values ?? {}).map(([name, value]) => ({ op: 'set' as const, name, value }));
      if (changes.length > 0) await changeVariables(hot, { botId, visitorId: personId, at }, changes);
      const until = new Date(at.getTime() + hours * HOUR_MS);
      const visitorId = await known.signIn(
        hot,
        { botId, channelId: channel.id, keyHash, personId, by: signed.by, at, until },
        id,
      );
      return asked !== null && (await known.takeAlong(hot, { botId, conversationId: asked, to: visitorId, who: signed.who }));
    });
    if (asked !== null && taken) await this.#tell(channel, asked, signed.who);
    if (conversationId !== null) wakes.wake(conversationId);
    return signed.who;
  }

  /** Whether a conversation waits for its visitor to sign in. */
  async #asks(conversationId: string): Promise<boolean> {
    const row = await findConversation(this.#parts.db, conversationId);
    if (!row || row.release_id === null || row.ended_at !== null) return false;
    const { bot } = await this.#parts.loader.release(row.release_id);
    return asksSignIn(bot, stateColumn.read(row.state));
  }

  /** Tells a conversation that its visitor has signed in, so that the talk goes on. */
  async #tell(channel: ServingChannel, conversationId: string, who: KnownAs): Promise<void> {
    const { clock, turns } = this.#parts;
    await turns.take({
      conversationId,
      botId: channel.bot_id,
      source: channel.id,
      externalId: `signed-in-${newId(clock)}`,
      event: { type: 'signed-in', at: clock.now().toISOString(), channel: channel.kind, ...spokenAs(who) },
    });
  }
}

function refusedToken(fault: ConstructorParameters<typeof Refused<'token-fault'>>[1]['fault']): Refused<'token-fault'> {
  return new Refused('token-fault', { fault });
}

/** What an identity service's failure comes to, in a few words that hold nothing of what was sent. */
function serviceFault(error: unknown): Error {
  if (error instanceof Refused) return error;
  const { code, name, error: told } = error as { code?: string; name?: string; error?: string };
  if (told === 'access_denied') return new Refused('service-fault', { reason: 'nobody signed in there' });
  return new Refused('service-fault', { reason: `it did not answer as it should (${told ?? code ?? name ?? 'no connection'})` });
}
