import express, { type Express, type Request, type Response } from 'express';
import { toldCase, type CaseResult, type Cases } from './cases.js';
import { CALM, type Office, type Switches } from './office.js';
import { officeOpenApi } from './openapi.js';
import { staffPage } from './staff-page.js';
import { isDay, isPort, isVehicle, PORTS, VEHICLES } from './timetable.js';

const text = (v: unknown): string => (typeof v === 'string' ? v : '');

function refuse(res: Response, status: number, detail: string): void {
  res.status(status).json({ error: detail });
}

/** The HTTP side of the booking office: its API, its switches and the page of its staff. */
export function createOfficeApp(office: Office, cases: Cases): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.json(), express.urlencoded({ extended: false }));
  addStaffSide(app, office, cases);
  app.get('/openapi.json', (_req, res) => void res.json(officeOpenApi()));
  app.use((_req, res, next) => void misbehave(office, res, next));
  addApi(app, office);
  addCases(app, cases);
  app.use((req, res) => refuse(res, 404, `there is nothing at ${req.path}`));
  return app;
}

async function misbehave(office: Office, res: Response, next: () => void): Promise<void> {
  const { delay_ms, fail, odd } = office.switches;
  if (delay_ms > 0) await new Promise((resolve) => setTimeout(resolve, delay_ms));
  if (fail !== 'none') {
    if (fail === 'next') office.switches = { ...office.switches, fail: 'none' };
    refuse(res, 503, 'the office is closed for an exercise');
  } else if (odd === 'not-json') res.type('application/json').send('{"sailings": [');
  else if (odd === 'wrong-shape') res.json({ sailings: 'ask at the pier' });
  else if (odd === 'empty') res.status(200).end();
  else next();
}

function addApi(app: Express, office: Office): void {
  app.get('/sailings', (req, res) => {
    const [from, to, on] = [text(req.query['from']), text(req.query['to']), text(req.query['on'])];
    const vehicle = text(req.query['vehicle']) || 'foot';
    if (!isPort(from) || !isPort(to)) return refuse(res, 400, `from and to must be ports: ${Object.keys(PORTS).join(', ')}`);
    if (!isDay(on)) return refuse(res, 400, 'on must be a day such as 2026-05-15');
    if (!isVehicle(vehicle)) return refuse(res, 400, `vehicle must be one of ${VEHICLES.join(', ')}`);
    res.json({ from: PORTS[from], to: PORTS[to], on, sailings: office.sailings(from, to, on, vehicle) });
  });
  app.get('/sailings/:id', (req, res) => {
    const sailing = office.sailing(req.params.id);
    if (!sailing) return refuse(res, 404, 'there is no such sailing');
    res.json(sailing);
  });
  app.post('/bookings', (req, res) => {
    const { sailing, name, vehicle } = (req.body ?? {}) as Record<string, unknown>;
    const brings = text(vehicle) || 'foot';
    if (text(name).trim() === '' || !isVehicle(brings)) return refuse(res, 400, 'name and vehicle are needed');
    const made = office.book(text(sailing), text(name).trim().slice(0, 80), brings, req.get('idempotency-key'));
    if (!made.ok) return refuse(res, made.status, made.detail);
    res.status(201).json(made.booking);
  });
  app.get('/bookings/:reference', (req, res) => answerBooking(res, office.find(req.params.reference)));
  app.patch('/bookings/:reference', (req, res) => {
    const change = bookingChange(req);
    if (!change) return refuse(res, 400, 'name, vehicle or state are wrong');
    answerBooking(res, office.change(req.params.reference, change));
  });
  app.delete('/bookings/:reference', (req, res) =>
    answerBooking(res, office.change(req.params.reference, { state: 'cancelled' })),
  );
}

function addCases(app: Express, cases: Cases): void {
  app.post('/cases', (req, res) => {
    const { question, name, reach, assigned } = (req.body ?? {}) as Record<string, unknown>;
    const asked = { question: text(question), name: text(name), reach: text(reach), assigned: text(assigned) };
    answerCase(res, cases.open(asked, req.get('idempotency-key')), 201);
  });
  app.get('/cases/:number', (req, res) => {
    const found = cases.find(req.params.number);
    if (!found) return refuse(res, 404, 'there is no such case');
    res.json(toldCase(found));
  });
}

function answerCase(res: Response, came: CaseResult, status: number): void {
  if (!came.ok) return refuse(res, came.status, came.detail);
  res.status(status).json(toldCase(came.case));
}

function answerBooking(res: Response, booking: ReturnType<Office['find']>): void {
  if (!booking) return refuse(res, 404, 'there is no such booking');
  res.json(booking);
}

function bookingChange(req: Request): Parameters<Office['change']>[1] | undefined {
  const { name, vehicle, state } = (req.body ?? {}) as Record<string, unknown>;
  if (vehicle !== undefined && !isVehicle(text(vehicle))) return undefined;
  if (state !== undefined && state !== 'booked' && state !== 'cancelled') return undefined;
  if (name !== undefined && text(name).trim() === '') return undefined;
  return {
    ...(name === undefined ? {} : { name: text(name).trim().slice(0, 80) }),
    ...(vehicle === undefined ? {} : { vehicle: text(vehicle) as 'foot' }),
    ...(state === undefined ? {} : { state }),
  };
}

/** True when a request comes from the office's own page or from a program, not from a page of another site. */
function fromOwnPage(req: Request): boolean {
  const { origin, host } = req.headers;
  return origin === undefined || origin === `http://${host}`;
}

function addStaffSide(app: Express, office: Office, cases: Cases): void {
  app.get('/', (_req, res) => void res.type('html').send(staffPage(office.list(), cases.list(), office.switches)));
  app.get('/switches', (_req, res) => void res.json(office.switches));
  app.put('/switches', (req, res) => {
    office.switches = readSwitches(req.body as Record<string, unknown>);
    res.json(office.switches);
  });
  app.post('/staff/switches', (req, res) => {
    if (!fromOwnPage(req)) return refuse(res, 403, 'use the staff page itself');
    office.switches = readSwitches(req.body as Record<string, unknown>);
    res.redirect(303, '/');
  });
  app.post('/staff/bookings/:reference', (req, res) => {
    const change = bookingChange(req);
    if (!change || !fromOwnPage(req)) return refuse(res, 400, 'name, vehicle or state are wrong');
    office.change(req.params.reference, change);
    res.redirect(303, '/');
  });
  app.post('/staff/cases/:number', (req, res) => {
    if (!fromOwnPage(req)) return refuse(res, 403, 'use the staff page itself');
    const { assigned, note, answer, state } = (req.body ?? {}) as Record<string, unknown>;
    const came = cases.change(req.params.number, {
      assigned: text(assigned),
      note: text(note),
      answer: text(answer),
      state: state === 'resolved' ? 'resolved' : 'open',
    });
    if (!came.ok) return refuse(res, came.status, came.detail);
    res.redirect(303, '/');
  });
}

function readSwitches(body: Record<string, unknown> | undefined): Switches {
  const { delay_ms, fail, odd } = body ?? {};
  return {
    delay_ms: Math.min(60_000, Math.max(0, Number(delay_ms) || 0)),
    fail: fail === 'next' || fail === 'always' ? fail : CALM.fail,
    odd: odd === 'not-json' || odd === 'wrong-shape' || odd === 'empty' ? odd : CALM.odd,
  };
}
