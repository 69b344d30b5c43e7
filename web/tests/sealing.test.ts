import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { keyFrom, sealed, unsealed } from '../src/app/sealing';

const hex = (n: number) => n.toString(16).padStart(2, '0').repeat(32);

describe('what lasts in the browser', () => {
  it('is read by its writer alone', async () => {
    const [mine, other] = [await keyFrom(hex(7)), await keyFrom(hex(8))];
    const value = { held: { body: '' }, version: 3, local: { body: 'Zoë, 汉字, “quoted”' } };
    const text = await sealed(mine, value);
    assert.ok(!text.includes('Zo'), text);
    assert.deepEqual(await unsealed(mine, text), value);
    await assert.rejects(unsealed(other, text));
  });

  it('is never the same twice, and nothing can be changed in it', async () => {
    const key = await keyFrom(hex(9));
    const [one, two] = [await sealed(key, 'a'), await sealed(key, 'a')];
    assert.notEqual(one, two);
    const changed = `${one.slice(0, -4)}${one.slice(-4) === 'AAA=' ? 'BBB=' : 'AAA='}`;
    await assert.rejects(unsealed(key, changed));
  });
});
