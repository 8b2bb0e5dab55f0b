import { expect } from 'chai';
import { theService, type TestService } from './support/service.js';
import { INES, signingIn, tokenOf } from './support/signing.js';
import { until } from './support/until.js';

describe('a token of a page', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  const { known, visitorAt, openWith, lines, signedIn, tell } = signingIn(() => service);

  it('speaks for the page that sends it only: the key that the browser keeps stays whose it was', async () => {
    const chat = await known();
    const stranger = visitorAt(chat.link);
    await stranger.open();
    await tell(stranger, 'a stranger was here');
    const ines = visitorAt(chat.link);
    ines.key = stranger.key;
    await openWith(ines, await tokenOf(INES));
    expect(ines.key).to.not.equal(stranger.key);
    expect((await lines(ines)).join(' ')).to.not.contain('stranger was here');
    await tell(ines, 'a word of Ines');
    // Nobody has signed out: it is another page, on which nobody is named.
    await stranger.open();
    const after = (await lines(stranger)).join(' ');
    expect(after).to.contain('a stranger was here').and.not.contain('a word of Ines');
    await tell(stranger, 'still a stranger');
    expect((await lines(ines)).join(' ')).to.not.contain('still a stranger');
    await ines.post('/sign-out');
    expect((await ines.post('/messages', { id: 'x', text: 'hello' })).status).to.equal(401);
    expect((await stranger.post('/messages', { id: 'x', text: 'hello' })).status).to.equal(202);
  });

  it('leaves out what does not fit its variable, and says so to staff', async () => {
    const chat = await known();
    const visitor = await signedIn(chat, { ...INES, seat: 'by the window', bookings: 'all' });
    expect(await tell(visitor, 'show my bookings')).to.include('Bookings of ines@marrow-sound.example: , seat 0.');
    await until(async () => {
      const { items } = await service.client.call('listChannelEvents', { params: chat.params });
      return items[0]?.about?.includes('bookings, seat') ?? false;
    });
  });
});
