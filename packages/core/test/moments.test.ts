import { expect } from 'chai';
import { localMoment } from '@primrose/core';

describe('the wall clock in a zone', () => {
  it('changes with the zone, also from one minute to the next and back', () => {
    const dublin = (at: string) => localMoment(at, 'Europe/Dublin');
    expect(dublin('2026-03-29T00:59:59.999Z')).to.deep.equal({ date: '2026-03-29', time: '00:59' });
    expect(dublin('2026-03-29T01:00:00.000Z')).to.deep.equal({ date: '2026-03-29', time: '02:00' });
    expect(dublin('2026-10-25T00:59:30Z')).to.deep.equal({ date: '2026-10-25', time: '01:59' });
    expect(dublin('2026-10-25T01:00:30Z')).to.deep.equal({ date: '2026-10-25', time: '01:00' });
    expect(dublin('2026-03-29T00:59:00Z')).to.deep.equal({ date: '2026-03-29', time: '00:59' });
  });
  it('is another one in each zone at the same moment, and never asked of one that is none', () => {
    const at = '2026-05-15T23:30:10Z';
    expect(localMoment(at, 'Europe/Berlin')).to.deep.equal({ date: '2026-05-16', time: '01:30' });
    expect(localMoment(at, 'Asia/Kathmandu')).to.deep.equal({ date: '2026-05-16', time: '05:15' });
    expect(localMoment(at, 'America/St_Johns')).to.deep.equal({ date: '2026-05-15', time: '21:00' });
    expect(localMoment(at, 'Europe/Berlin').time).to.equal('01:30');
    expect(() => localMoment(at, 'Europe/Nowhere')).to.throw(RangeError);
    expect(() => localMoment('no moment', 'Europe/Berlin')).to.throw(RangeError);
  });
});
