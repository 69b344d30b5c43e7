import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { makesStale, OwnChanges, readTold, type Tiding } from '../src/app/tidings';

const visit: Tiding = { topic: 'visit', id: 'v1', person: 'p1', days: ['2026-11-23'], change: 'c1' };

describe('a tiding', () => {
  it('makes stale what hears its topic and its id, and nothing else', () => {
    assert.equal(makesStale(visit, [{ topic: 'visit', id: 'v1' }]), true);
    assert.equal(makesStale(visit, [{ topic: 'visit', id: 'v2' }]), false);
    assert.equal(makesStale(visit, [{ topic: 'person', id: 'p1' }]), false);
    assert.equal(makesStale(visit, []), false, 'a code table hangs on nothing');
  });

  it('reaches what hangs on its person or its day', () => {
    assert.equal(makesStale(visit, [{ topic: 'visit', person: 'p1' }]), true);
    assert.equal(makesStale(visit, [{ topic: 'visit', person: ['p2', 'p3'] }]), false);
    assert.equal(makesStale(visit, [{ topic: 'visit', day: '2026-11-23' }]), true);
    assert.equal(makesStale(visit, [{ topic: 'visit', day: '2026-11-24' }]), false);
  });

  it('counts as stale what cannot be told apart', () => {
    assert.equal(makesStale({ topic: 'visit', id: 'v1' }, [{ topic: 'visit', person: 'p1', day: '2026-11-23' }]), true);
    assert.equal(makesStale({ topic: 'everything', id: '' }, []), true);
  });

  it('is read from the answer to a change; what cannot be read is everything', () => {
    assert.deepEqual(readTold(null), []);
    assert.deepEqual(readTold(JSON.stringify([visit])), [visit]);
    assert.deepEqual(
      readTold('[{').map((t) => t.topic),
      ['everything'],
    );
  });

  it('is known as one’s own by its change, for a while', () => {
    const own = new OwnChanges();
    own.add([visit]);
    assert.equal(own.has(visit), true);
    assert.equal(own.has({ topic: 'visit', id: 'v1' }), false, 'without a change it is somebody’s');
    for (let i = 0; i < 64; i++) own.add([{ ...visit, change: `other-${i}` }]);
    assert.equal(own.has(visit), false);
  });
});
