import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { keysAt, keysOfEveryScreen, keysOfScreen } from '../src/app/keySheet';

describe('the sheet of keys', () => {
  it('tells those of the screen in sight, the nearer address first', () => {
    assert.equal(keysAt('/people')[0]?.keys, 'n');
    assert.equal(keysAt('/people/0199')[0]?.keys, 'e');
    assert.deepEqual(keysAt('/settings'), []);
  });

  it('says each key of a screen once', () => {
    for (const [screen, lines] of Object.entries({ ...keysOfScreen, every: keysOfEveryScreen })) {
      const keys = lines.map((l) => l.keys);
      assert.equal(new Set(keys).size, keys.length, screen);
    }
  });
});
