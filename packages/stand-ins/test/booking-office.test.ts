import { expect } from 'chai';
import { theService } from '../../server/test/support/service.js';

describe('the booking office', () => {
  let office: string;
  before(async () => {
    office = (await theService()).office;
  });
  const send = async (method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const response = await fetch(office + path, {
      method,
      headers: { 'content-type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return { status: response.status, body: (await response.json()) as Record<string, unknown> };
  };
  const DAY = '2032-03-01';
  const sailing = (from = 'kelpwick', to = 'tarn-holm') => `${from}_${to}_${DAY}_0940`;

  it('lists the same sailings for the same day, those with room for the vehicle', async () => {
    const path = `/sailings?from=kelpwick&to=tarn-holm&on=${DAY}`;
    const all = await send('GET', path);
    expect(all).to.deep.equal(await send('GET', path));
    expect(all.body['sailings']).to.have.length(6);
    expect(((await send('GET', `${path}&vehicle=car`)).body['sailings'] as { boat: string }[]).map((s) => s.boat)).to.deep.equal([
      'Wrackline',
      'Wrackline',
      'Wrackline',
    ]);
    expect((await send('GET', '/sailings?from=gannet-quay&to=kelpwick&on=2032-03-07')).body['sailings']).to.deep.equal([]);
    expect((await send('GET', '/sailings?from=moon&to=kelpwick&on=2032-03-07')).status).to.equal(400);
    expect((await send('GET', '/sailings?from=kelpwick&to=tarn-holm&on=2032-02-31')).status).to.equal(400);
  });

  it('books once per idempotency key, changes, cancels', async () => {
    const order = { sailing: sailing(), name: 'Ada', vehicle: 'bicycle' };
    const key = { 'idempotency-key': `k-${crypto.randomUUID()}` };
    const first = await send('POST', '/bookings', order, key);
    expect(first.status).to.equal(201);
    expect((await send('POST', '/bookings', order, key)).body).to.deep.equal(first.body);
    const path = `/bookings/${first.body['reference'] as string}`;
    expect((await send('PATCH', path, { vehicle: 'car' })).body).to.include({ vehicle: 'car', price: 34 });
    expect((await send('DELETE', path)).body).to.include({ state: 'cancelled' });
    expect((await send('GET', path)).body).to.include({ name: 'Ada', state: 'cancelled' });
    expect((await send('GET', '/bookings/XXX9999')).status).to.equal(404);
  });

  it('is full when the car deck is', async () => {
    const order = { sailing: sailing('port-anselm', 'gannet-quay'), name: 'Bo', vehicle: 'car' };
    const answers = [];
    for (let i = 0; i < 7; i++) answers.push((await send('POST', '/bookings', order)).status);
    expect(answers).to.deep.equal([201, 201, 201, 201, 201, 201, 409]);
  });

  it('opens a case once, gives it to who is named, and tells how far it is without the notes of the staff', async () => {
    const orla = 'orla.quill@marrow-sound.example';
    const asked = { question: 'Is there a lift at <b>Gannet Quay</b>?', name: 'Nell', reach: 'nell@example.org', assigned: orla };
    const key = { 'idempotency-key': `c-${crypto.randomUUID()}` };
    const first = await send('POST', '/cases', asked, key);
    expect(first.status).to.equal(201);
    expect((await send('POST', '/cases', asked, key)).body).to.deep.equal(first.body);
    const path = `/cases/${first.body['number'] as string}`;
    expect((await send('GET', path)).body).to.deep.equal({
      number: first.body['number'],
      question: asked.question,
      state: 'assigned',
      assigned_to: 'Orla Quill',
      answer: '',
    });
    const staff = (change: Record<string, string>) =>
      fetch(`${office}/staff${path}`, { method: 'POST', body: new URLSearchParams(change), redirect: 'manual' });
    // Nobody has this address; and what is resolved has an answer.
    expect((await staff({ assigned: 'nobody@marrow-sound.example' })).status).to.equal(422);
    expect((await staff({ assigned: orla, state: 'resolved' })).status).to.equal(422);
    expect((await staff({ assigned: '', note: 'rang the harbour master', state: 'open' })).status).to.equal(303);
    expect((await send('GET', path)).body).to.include({ state: 'open', assigned_to: '' });
    await staff({ assigned: orla, answer: 'Yes, at pier two.', state: 'resolved' });
    const told = await send('GET', path.replace('/C', '/c '));
    expect(told.body).to.include({ state: 'resolved', answer: 'Yes, at pier two.' });
    expect(JSON.stringify(told.body)).to.not.contain('harbour master');
    const page = await (await fetch(`${office}/`)).text();
    expect(page).to.contain('rang the harbour master').and.not.contain('<b>Gannet');
    expect((await send('GET', '/cases/C9999')).status).to.equal(404);
    expect((await send('POST', '/cases', { ...asked, assigned: 'x@y.example' })).status).to.equal(422);
    expect((await send('POST', '/cases', { name: 'Nell' })).status).to.equal(400);
  });

  it('shows staff every booking, with names as text', async () => {
    await send('POST', '/bookings', { sailing: sailing(), name: '<b>Eve</b>', vehicle: 'foot' });
    const page = await (await fetch(`${office}/`)).text();
    expect(page).to.contain('Kelpwick to Tarn Holm').and.not.contain('<b>Eve');
    expect((await send('GET', '/openapi.json')).body['openapi']).to.equal('3.1.0');
  });

  describe('when told to misbehave', () => {
    const set = (body: unknown) => send('PUT', '/switches', body);
    const list = () => fetch(`${office}/sailings?from=kelpwick&to=tarn-holm&on=${DAY}`);
    afterEach(() => set({}));

    it('fails once, or until it is told otherwise', async () => {
      await set({ fail: 'next' });
      expect([(await list()).status, (await list()).status]).to.deep.equal([503, 200]);
      await set({ fail: 'always' });
      expect([(await list()).status, (await list()).status]).to.deep.equal([503, 503]);
    });
    it('answers oddly', async () => {
      await set({ odd: 'not-json' });
      expect(await (await list()).text()).to.equal('{"sailings": [');
      await set({ odd: 'empty' });
      expect(await (await list()).text()).to.equal('');
      await set({ odd: 'wrong-shape' });
      expect(await (await list()).json()).to.deep.equal({ sailings: 'ask at the pier' });
    });
    it('keeps its switches within reason, and its own pages working', async () => {
      expect((await set({ delay_ms: -5, fail: 'sometimes', odd: 7 })).body).to.deep.equal({
        delay_ms: 0,
        fail: 'none',
        odd: 'none',
      });
      expect((await set({ delay_ms: 1e9 })).body['delay_ms']).to.equal(60_000);
      await set({ fail: 'always' });
      expect((await fetch(`${office}/`)).status).to.equal(200);
    });
    it('lets its staff page be used from itself only', async () => {
      const form = (origin?: string) =>
        fetch(`${office}/staff/switches`, {
          method: 'POST',
          redirect: 'manual',
          headers: { 'content-type': 'application/x-www-form-urlencoded', ...(origin === undefined ? {} : { origin }) },
          body: 'fail=next&delay_ms=0&odd=none',
        });
      expect((await form('http://elsewhere.example')).status).to.equal(403);
      expect((await form(office)).status).to.equal(303);
    });
  });

  it('lets staff change and cancel a booking on their page', async () => {
    const made = await send('POST', '/bookings', { sailing: sailing('tarn-holm', 'kelpwick'), name: 'Cy', vehicle: 'foot' });
    const reference = made.body['reference'] as string;
    const body = new URLSearchParams({ name: 'Cyd', vehicle: 'bicycle', state: 'cancelled' });
    const answer = await fetch(`${office}/staff/bookings/${reference}`, { method: 'POST', redirect: 'manual', body });
    expect(answer.status).to.equal(303);
    expect((await send('GET', `/bookings/${reference}`)).body).to.deep.include({
      name: 'Cyd',
      vehicle: 'bicycle',
      price: 10,
      state: 'cancelled',
    });
    const wrong = await fetch(`${office}/staff/bookings/${reference}`, {
      method: 'POST',
      redirect: 'manual',
      body: new URLSearchParams({ vehicle: 'whale' }),
    });
    expect(wrong.status).to.equal(400);
  });
});
