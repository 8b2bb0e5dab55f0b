import express, { type Express, type Request, type Response } from 'express';
import { SignJWT } from 'jose';
import { CUSTOMERS, type Customer, type HostSite } from './customers.js';
import { accountPage, homePage, signInPage, timetablePage } from './pages.js';

const TOKEN_SECONDS = 300;
const COOKIE = 'marrow_customer';

/** A token that says who a customer is, for a few minutes (JWT, HS256). */
export function tokenFor(customer: Customer, { id, secret }: HostSite['key'], now = Date.now()): Promise<string> {
  const { id: sub, name, email, bookings } = customer;
  const seconds = Math.floor(now / 1000);
  return new SignJWT({ name, email, email_verified: true, bookings: [...bookings] })
    .setProtectedHeader({ alg: 'HS256', kid: id })
    .setSubject(sub)
    .setIssuedAt(seconds)
    .setExpirationTime(seconds + TOKEN_SECONDS)
    .sign(new TextEncoder().encode(secret));
}

/** The web site of the ferry line, on an origin of its own, with the chat in its pages. */
export function createHostSite(site: HostSite): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false }));
  const policy = (req: Request, res: Response): void => {
    // A page that is strict names the chat's service for scripts and frames, and nothing more.
    const strict = req.query['strict'] !== undefined;
    const ours = new URL(site.service).origin;
    const rules = `default-src 'none'; script-src ${ours}; frame-src ${ours}; style-src 'self'; img-src data:; connect-src 'self'; form-action 'self'; base-uri 'none'`;
    if (strict) res.setHeader('content-security-policy', rules);
  };
  const page = (draw: (site: HostSite, who: Customer | undefined) => string) => (req: Request, res: Response) => {
    policy(req, res);
    res.type('html').send(draw(site, customerOf(req)));
  };
  app.get('/', page(homePage));
  app.get('/timetable', page(timetablePage));
  app.get('/sign-in', page(signInPage));
  app.get('/account', (req, res) => (customerOf(req) ? page(accountPage)(req, res) : res.redirect('/sign-in')));
  app.post('/sign-in', (req, res) => {
    const { customer } = (req.body ?? {}) as { customer?: string };
    const found = CUSTOMERS.find((c) => c.id === customer);
    if (found) res.cookie(COOKIE, found.id, { httpOnly: true, sameSite: 'lax' });
    res.redirect(found ? '/account' : '/sign-in');
  });
  app.post('/sign-out', (_req, res) => {
    res.clearCookie(COOKIE);
    res.redirect('/');
  });
  app.get('/chat-token', async (req, res) => {
    const customer = customerOf(req);
    res.setHeader('cache-control', 'no-store');
    if (customer) res.type('text/plain').send(await tokenFor(customer, site.key));
    else res.status(204).end();
  });
  app.get('/site.css', (_req, res) => void res.type('css').send(CSS));
  app.get('/', (_req, res) => res.status(404).end());
  return app;
}

function customerOf(req: Request): Customer | undefined {
  const id = new RegExp(`(?:^|;\\s*)${COOKIE}=([\\w-]+)`).exec(req.headers.cookie ?? '')?.[1];
  return CUSTOMERS.find((c) => c.id === id);
}

const CSS = `body { margin: 0; font: 16px/1.55 Georgia, serif; color: #22323d; background: #f6f8f9; }
header { display: flex; gap: 24px; align-items: baseline; padding: 18px max(20px, calc(50% - 480px)); background: #1e4256; color: #f6f8f9; }
header strong { font-size: 20px; } header a { color: inherit; }
main { max-width: 960px; margin: 0 auto; padding: 28px 20px 120px; }
h1 { font-weight: 500; line-height: 1.2; } table { border-collapse: collapse; } td, th { padding: 6px 18px 6px 0; text-align: start; border-bottom: 1px solid #cfd9de; }
aside { border: 1px solid #cfd9de; background: #fff; padding: 4px 18px; } button { font: inherit; padding: 6px 14px; } #chat { margin-top: 20px; border: 1px solid #cfd9de; }
@media (max-width: 480px) { header { flex-wrap: wrap; gap: 4px 16px; } }`;
