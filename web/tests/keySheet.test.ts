import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { keysAt, keysOfEveryScreen, keysOfScreen } from '../src/app/keySheet';

describe('the sheet of keys', () => {
  it('tells those of the screen in sight, the nearer address first', () => {
    const all = () => true;
    assert.equal(keysAt('/people', all)[0]?.keys, 'n');
    assert.equal(keysAt('/people/0199', all)[0]?.keys, 'e');
    assert.deepEqual(keysAt('/settings', all), []);
  });

  it('tells nobody a key that is not theirs', () => {
    const assistant = (permission: string) => permission !== 'edit_people';
    assert.deepEqual(keysAt('/people/0199', assistant), []);
  });

  it('says each key of a screen once', () => {
    for (const [screen, lines] of Object.entries({ ...keysOfScreen, every: keysOfEveryScreen })) {
      const keys = lines.map((l) => l.keys);
      assert.equal(new Set(keys).size, keys.length, screen);
    }
  });
});
