import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { typedSince } from '../src/app/typedSince';

describe('a field whose words were sent', () => {
  it('is empty when nothing was typed since', () => {
    assert.equal(typedSince('smoker 10/day')('smoker 10/day'), '');
  });
  it('keeps what was typed on, without what parts it from what was sent', () => {
    assert.equal(typedSince('smoker 10/day')('smoker 10/day, father gout'), 'father gout');
  });
  it('keeps what was typed over it', () => {
    assert.equal(typedSince('smoker 10/day')('father gout'), 'father gout');
  });
});
