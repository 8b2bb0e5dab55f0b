import { createHash, randomBytes } from 'node:crypto';
import express, { type Express, type Request } from 'express';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';

/** Somebody who has an account at the identity service. */
export interface Account {
  readonly sub: string;
  readonly name: string;
  readonly email: string;
}

const ACCOUNTS: readonly Account[] = [
  { sub: 'h-7', name: 'Ines Marlow', email: 'ines.marlow@marrow-sound.example' },
  { sub: 'h-8', name: 'Orla Quill', email: 'orla.quill@marrow-sound.example' },
];

interface Pending {
  readonly account: Account;
  readonly client: string;
  readonly redirect: string;
  readonly nonce: string;
  readonly challenge: string;
}

export interface IdentityOptions {
  readonly client: string;
  readonly secret: string;
}

const text = (value: unknown): string => (typeof value === 'string' ? value : '');
const escaped = (value: string): string => value.replace(/&/g, '&amp;').replace(/"/g, '&quot;').replace(/</g, '&lt;');

/**
 * A small identity service that speaks OpenID Connect: discovery, the authorization code flow with PKCE, an id token signed with RS256.
 * Nobody needs a password.
 */
export async function createIdentityService({ client, secret }: IdentityOptions): Promise<Express> {
  const { publicKey, privateKey } = await generateKeyPair('RS256');
  const jwk = { ...(await exportJWK(publicKey)), kid: 'one', use: 'sig', alg: 'RS256' };
  const pending = new Map<string, Pending>();
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  const issuer = (req: Request): string => `http://${req.headers.host ?? ''}`;
  app.get('/.well-known/openid-configuration', (req, res) => {
    const at = issuer(req);
    res.json({
      issuer: at,
      authorization_endpoint: `${at}/authorize`,
      token_endpoint: `${at}/token`,
      jwks_uri: `${at}/keys`,
      response_types_supported: ['code'],
      subject_types_supported: ['public'],
      id_token_signing_alg_values_supported: ['RS256'],
      code_challenge_methods_supported: ['S256'],
      token_endpoint_auth_methods_supported: ['client_secret_post', 'client_secret_basic'],
    });
  });
  app.get('/keys', (_req, res) => void res.json({ keys: [jwk] }));
  app.get('/authorize', (req, res) => {
    const fields = Object.entries(req.query).map(
      ([name, value]) => `<input type="hidden" name="${escaped(name)}" value="${escaped(text(value))}">`,
    );
    const each = ACCOUNTS.map((a) => `<button name="account" value="${a.sub}">${a.name}</button>`);
    res
      .type('html')
      .send(
        `<!doctype html><html lang="en"><meta charset="utf-8"><title>Sound account</title><style>body{font:16px/1.5 Georgia,serif;max-width:420px;margin:15vh auto}button{font:inherit;display:block;margin:8px 0;padding:6px 14px}</style><h1>Sound account</h1><p>As whom do you sign in?</p><form method="post" action="/authorize">${fields.join('')}${each.join('')}<button name="account" value="">Nobody</button></form></html>`,
      );
  });
  app.post('/authorize', (req, res) => {
    const body = (req.body ?? {}) as Record<string, unknown>;
    const redirect = text(body['redirect_uri']);
    const back = new URL(redirect);
    back.searchParams.set('state', text(body['state']));
    const account = ACCOUNTS.find((a) => a.sub === body['account']);
    if (account) {
      const code = randomBytes(16).toString('hex');
      pending.set(code, {
        account,
        client: text(body['client_id']),
        redirect,
        nonce: text(body['nonce']),
        challenge: text(body['code_challenge']),
      });
      back.searchParams.set('code', code);
      back.searchParams.set('iss', issuer(req));
    } else back.searchParams.set('error', 'access_denied');
    res.redirect(back.href);
  });
  app.post('/token', async (req, res) => {
    const body = (req.body ?? {}) as Record<string, unknown>;
    const [id, shown] = Buffer.from((req.headers.authorization ?? '').replace(/^Basic /, ''), 'base64')
      .toString()
      .split(':')
      .map(decodeURIComponent);
    const asked = pending.get(text(body['code']));
    pending.delete(text(body['code']));
    const challenge = createHash('sha256').update(text(body['code_verifier'])).digest('base64url');
    const isClient = (text(body['client_id']) || id) === client && (text(body['client_secret']) || shown) === secret;
    if (!isClient) return void res.status(401).json({ error: 'invalid_client' });
    if (!asked || asked.challenge !== challenge || asked.redirect !== body['redirect_uri'])
      return void res.status(400).json({ error: 'invalid_grant' });
    const { sub, name, email } = asked.account;
    const idToken = await new SignJWT({ name, email, email_verified: true, nonce: asked.nonce })
      .setProtectedHeader({ alg: 'RS256', kid: 'one' })
      .setIssuer(issuer(req))
      .setAudience(client)
      .setSubject(sub)
      .setIssuedAt()
      .setExpirationTime('5m')
      .sign(privateKey);
    return void res.json({
      access_token: randomBytes(16).toString('hex'),
      token_type: 'Bearer',
      expires_in: 300,
      id_token: idToken,
    });
  });
  return app;
}
