import * as openid from 'openid-client';
import type { KnownAs } from '@primrose/core';
import { fetch, type Agent } from 'undici';
import type { Clock } from '../base/clock.js';
import { assertMayCall, createOutsideAgent, type AllowedAddresses } from '../outside/agent.js';
import { emailIn, shortText } from './tokens.js';

/*
 * Sign-in by an identity service: OpenID Connect, authorization code flow with PKCE (RFC 7636). What is under way waits in memory of
 * one process as little as possible: the state that goes out carries all, sealed (sign-ins.ts).
 */

/** An identity service as it is set on a web chat, with its secret. */
export interface ServiceSetting {
  readonly issuer: string;
  readonly client: string;
  readonly secret: string | undefined;
}

/** Who somebody is, as the service says. */
export interface ServiceClaims {
  readonly subject: string;
  readonly who: KnownAs;
  readonly emailVerified: boolean;
}

const TIMEOUT_SECONDS = 8;
const MAX_ANSWER_BYTES = 200_000;
const KNOWN_MS = 600_000;
const MOST_KNOWN = 100;
const LONGEST_NAME = 80;

/** Speaks to identity services; what they say of themselves is asked for every ten minutes. */
export class IdentityServices {
  readonly #clock: Clock;
  readonly #allowed: AllowedAddresses;
  readonly #agent: Agent;
  readonly #known = new Map<string, { readonly at: number; readonly config: Promise<openid.Configuration> }>();

  constructor({ clock, allowed }: { readonly clock: Clock; readonly allowed: AllowedAddresses }) {
    this.#clock = clock;
    this.#allowed = allowed;
    this.#agent = createOutsideAgent(allowed, MAX_ANSWER_BYTES);
  }

  close(): Promise<void> {
    return this.#agent.close();
  }

  /** The one way out: an address is resolved once and looked at, as for every call to the outside. */
  readonly #fetch: openid.CustomFetch = async (url, options) => {
    const { method, headers, body, signal } = options;
    assertMayCall(new URL(url), this.#allowed);
    const came = await fetch(url, { method, headers, body, signal, redirect: 'error', dispatcher: this.#agent });
    return new Response(came.body as never, { status: came.status, headers: [...came.headers.entries()] });
  };

  #config({ issuer, client, secret }: ServiceSetting): Promise<openid.Configuration> {
    const key = JSON.stringify([issuer, client, secret ?? null]);
    const now = this.#clock.now().getTime();
    const known = this.#known.get(key);
    if (known && now - known.at < KNOWN_MS) return known.config;
    const config = openid.discovery(new URL(issuer), client, secret, secret === undefined ? openid.None() : undefined, {
      timeout: TIMEOUT_SECONDS,
      [openid.customFetch]: this.#fetch,
      // Where private addresses may be called, a service there may be spoken to without TLS, as in the demo.
      ...(this.#allowed !== 'none' ? { execute: [openid.allowInsecureRequests] } : {}),
    });
    if (this.#known.size >= MOST_KNOWN) this.#known.clear();
    this.#known.set(key, { at: now, config });
    config.catch(() => this.#known.delete(key));
    return config;
  }

  /** The address at which a visitor signs in. `verifier` is to be shown again afterwards. */
  async address(
    setting: ServiceSetting,
    asked: { redirect: string; state: string; nonce: string; verifier: string },
  ): Promise<string> {
    const config = await this.#config(setting);
    return openid.buildAuthorizationUrl(config, {
      redirect_uri: asked.redirect,
      scope: 'openid profile email',
      state: asked.state,
      nonce: asked.nonce,
      code_challenge: await openid.calculatePKCECodeChallenge(asked.verifier),
      code_challenge_method: 'S256',
    }).href;
  }

  /** What the service says of somebody whom it has sent back to `url`. Throws where it says nothing that can be believed. */
  async claims(
    setting: ServiceSetting,
    url: URL,
    expects: { state: string; nonce: string; verifier: string },
  ): Promise<ServiceClaims> {
    const config = await this.#config(setting);
    const tokens = await openid.authorizationCodeGrant(config, url, {
      expectedState: expects.state,
      expectedNonce: expects.nonce,
      pkceCodeVerifier: expects.verifier,
      idTokenExpected: true,
    });
    const claims = tokens.claims();
    if (!claims) throw new Error('the service sent no id token');
    const { sub, name, email, email_verified: verified } = claims;
    return {
      subject: sub,
      who: { name: shortText(name, LONGEST_NAME), email: emailIn(email) },
      emailVerified: verified === true,
    };
  }
}

export const newVerifier = (): string => openid.randomPKCECodeVerifier();
export const newNonce = (): string => openid.randomNonce();
