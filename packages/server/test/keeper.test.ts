import { expect } from 'chai';
import { pino } from 'pino';
import type { Waiting } from '../src/store/hot.js';
import { Keeper } from '../src/turns/keeper.js';
import { handClock } from './support/clock.js';

const log = pino({ level: 'silent' });
const settled = () => new Promise<void>((resolve) => setImmediate(resolve));

/** A keeper whose work is finished by hand. */
function kept(limits: { most?: number; mostOfOne?: number; mostQueued?: number } = {}) {
  const clock = handClock();
  const begun: string[] = [];
  const finish = new Map<string, () => void>();
  let waiting: readonly Waiting[] = [];
  const keeper = new Keeper({
    clock,
    log,
    name: 'things',
    waiting: () => Promise.resolve(waiting),
    work: (id) => {
      begun.push(id);
      return new Promise((resolve) => finish.set(id, resolve));
    },
    ...limits,
  });
  const end = async (id: string) => {
    finish.get(id)?.();
    await settled();
  };
  return { clock, begun, end, keeper, leave: (left: readonly Waiting[]) => (waiting = left) };
}

describe('a keeper', () => {
  it('works on each thing by one worker at a time, and looks again where somebody asked meanwhile', async () => {
    const { keeper, begun, end } = kept();
    keeper.kick('a', 'x');
    keeper.kick('a', 'x');
    keeper.kick('b', 'x');
    await settled();
    expect(begun).to.deep.equal(['a', 'b']);
    await end('b');
    await end('a');
    expect(begun).to.deep.equal(['a', 'b', 'a']);
    await end('a');
    expect(begun).to.deep.equal(['a', 'b', 'a']);
  });

  it('finds each second what others have left', async () => {
    const { keeper, begun, clock, leave } = kept();
    leave([{ id: 'left', owner: 'x' }]);
    keeper.start();
    clock.move(999);
    await settled();
    expect(begun).to.deep.equal([]);
    clock.move(1);
    await settled();
    await settled();
    expect(begun).to.deep.equal(['left']);
    const stopping = keeper.stop(50);
    clock.move(50);
    expect(await stopping).to.deep.equal(['left']);
    expect(clock.waiting()).to.equal(0);
  });

  it('lets the things of one owner not crowd out those of others', async () => {
    const { keeper, begun, end } = kept({ most: 4, mostOfOne: 3 });
    for (const id of ['x1', 'x2', 'x3', 'x4', 'x5']) keeper.kick(id, 'x');
    keeper.kick('y1', 'y');
    for (const id of ['x6', 'y2', 'z1']) keeper.kick(id, id.charAt(0));
    await settled();
    expect(begun).to.deep.equal(['x1', 'x2', 'x3', 'y1']);
    await end('y1');
    expect(begun.slice(4)).to.deep.equal(['y2']);
    await end('x1');
    expect(begun.slice(5)).to.deep.equal(['x4']);
    await end('y2');
    expect(begun.slice(6)).to.deep.equal(['z1']);
    await end('z1');
    await end('x2');
    expect(begun.slice(7)).to.deep.equal(['x5']);
  });

  it('keeps no more waiting than it may: what is beyond is found by a later look', async () => {
    const { keeper, begun, end, clock, leave } = kept({ most: 1, mostQueued: 2 });
    for (const id of ['x1', 'x2', 'x2', 'x3', 'x4', 'y1']) keeper.kick(id, id.charAt(0));
    await settled();
    for (const id of ['x1', 'x2', 'x3']) await end(id);
    expect(begun).to.deep.equal(['x1', 'x2', 'x3']);
    leave([
      { id: 'x4', owner: 'x' },
      { id: 'y1', owner: 'y' },
    ]);
    keeper.start();
    clock.move(1000);
    await settled();
    await settled();
    await end('x4');
    expect(begun.slice(3)).to.deep.equal(['x4', 'y1']);
  });

  it('lets what is asked for again and again not keep its place before what waits', async () => {
    const { keeper, begun, end } = kept({ most: 1 });
    keeper.kick('busy', 'x');
    keeper.kick('other', 'x');
    keeper.kick('third', 'y');
    keeper.kick('busy', 'x');
    await settled();
    for (const id of ['busy', 'other', 'third', 'busy']) await end(id);
    expect(begun).to.deep.equal(['busy', 'other', 'third', 'busy']);
  });

  it('goes on after work that failed, and takes nothing new once it is stopped', async () => {
    const clock = handClock();
    const begun: string[] = [];
    const work = (id: string) => (begun.push(id), id === 'bad' ? Promise.reject(new Error('bad')) : Promise.resolve());
    const keeper = new Keeper({ clock, log, name: 'things', waiting: () => Promise.resolve([]), work });
    keeper.kick('bad', 'x');
    await settled();
    keeper.kick('good', 'x');
    await settled();
    expect(await keeper.stop(10)).to.deep.equal([]);
    keeper.kick('late', 'x');
    await settled();
    expect(begun).to.deep.equal(['bad', 'good']);
  });
});
