import { EventEmitter } from 'node:events';
import type { ServerResponse } from 'node:http';
import { expect } from 'chai';
import { taken } from '../src/base/event-stream.js';
import { handClock } from './support/clock.js';

/** As much of an answer as a reader's pace shows in. */
class Answer extends EventEmitter {
  destroyed = false;
  destroy(): void {
    this.destroyed = true;
    this.emit('close');
  }
}

describe('waiting for a reader', () => {
  const waiting = (withinMs?: number) => {
    const [answer, clock] = [new Answer(), handClock()];
    let over = false;
    const done = taken(answer as unknown as ServerResponse, clock, withinMs).then(() => (over = true));
    const left = () => answer.listenerCount('drain') + answer.listenerCount('close') + clock.waiting();
    return { answer, clock, done, left, isOver: async () => (await Promise.resolve(), over) };
  };

  for (const what of ['drain', 'close'])
    it(`is over with ${what}, and leaves nothing behind`, async () => {
      const { answer, clock, done, left, isOver } = waiting();
      clock.move(29_000);
      expect(await isOver()).to.equal(false);
      answer.emit(what);
      await done;
      expect([left(), answer.destroyed]).to.deep.equal([0, false]);
    });

  it('lets one go that takes nothing for too long', async () => {
    const { answer, clock, done, left } = waiting(5000);
    clock.move(4999);
    expect(answer.destroyed).to.equal(false);
    clock.move(1);
    await done;
    expect([left(), answer.destroyed]).to.deep.equal([0, true]);
  });

  it('does not wait for one who is gone', async () => {
    const answer = new Answer();
    answer.destroyed = true;
    await taken(answer as unknown as ServerResponse, handClock());
    expect(answer.listenerCount('close')).to.equal(0);
  });
});
