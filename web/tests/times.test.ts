import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { timesIn } from '../src/app/times';

describe('a day of the calendar', () => {
  it('is the same day in every zone, also where its midnight is yesterday', () => {
    for (const zone of ['America/New_York', 'Pacific/Auckland', 'UTC']) {
      const times = timesIn(zone);
      assert.equal(times.full('2027-12-01'), 'Dec 1, 2027', zone);
      assert.equal(times.day('2027-12-01'), 'Wed, Dec 1', zone);
    }
  });

  it('is told of a moment by the clock of the clinic', () => {
    assert.equal(timesIn('America/New_York').full('2027-12-01T02:00:00Z'), 'Nov 30, 2027');
  });
});
