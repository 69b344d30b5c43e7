import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { Draft } from '../src/app/draft';

const record = () => new Draft({ name: 'Vell', city: 'Port Calder', alert: '' }, 3);

describe('a draft', () => {
  it('sends only what was changed, with the version that it began from', () => {
    const d = record();
    assert.equal(d.send(), null, 'nothing to save');
    d.change({ city: 'Eastness' });
    assert.deepEqual(d.send(), { fields: { city: 'Eastness' }, version: 3 });
    assert.equal(d.send(), null, 'one save at a time');
  });

  it('still has to save what was typed while a save was on its way', () => {
    const d = record();
    d.change({ city: 'Eastness' });
    d.send();
    d.change({ alert: 'Latex' });
    d.saved({ name: 'Vell', city: 'Eastness', alert: '' }, 4);
    assert.equal(d.dirty, true);
    assert.deepEqual(d.send(), { fields: { alert: 'Latex' }, version: 4 });
  });

  it('keeps a field that was typed on in while its earlier words were on their way', () => {
    const d = record();
    d.change({ alert: 'Lat' });
    d.send();
    d.change({ alert: 'Latex' });
    d.saved({ name: 'Vell', city: 'Port Calder', alert: 'Lat' }, 4);
    assert.equal(d.local.alert, 'Latex');
    assert.deepEqual(d.changed(), ['alert']);
  });

  it('takes over what the server tidied', () => {
    const d = record();
    d.change({ city: '  Eastness ' });
    d.send();
    d.saved({ name: 'Vell', city: 'Eastness', alert: '' }, 4);
    assert.equal(d.local.city, 'Eastness');
    assert.equal(d.dirty, false);
  });

  it('has everything still to save when the save is lost', () => {
    const d = record();
    d.change({ city: 'Eastness' });
    d.send();
    d.refused();
    assert.deepEqual(d.send(), { fields: { city: 'Eastness' }, version: 3 });
  });

  it('takes over what others changed where nothing was typed, and wipes nothing', () => {
    const d = record();
    d.change({ city: 'Eastness' });
    d.arrived({ name: 'Vell-Osman', city: 'Port Calder', alert: 'Latex' }, 4);
    assert.deepEqual(d.clashes, []);
    assert.deepEqual(d.local, { name: 'Vell-Osman', city: 'Eastness', alert: 'Latex' });
    assert.deepEqual(d.send(), { fields: { city: 'Eastness' }, version: 4 });
  });

  it('asks only where both changed one field, and differently', () => {
    const d = record();
    d.change({ city: 'Eastness', name: 'Vell-Osman' });
    d.arrived({ name: 'Vell-Osman', city: 'Graywater', alert: '' }, 4);
    assert.deepEqual(d.clashes, [{ field: 'city', mine: 'Eastness', theirs: 'Graywater' }]);
    assert.equal(d.send(), null, 'nothing is sent before somebody decided');
    d.decide('theirs');
    assert.equal(d.local.city, 'Graywater');
    assert.equal(d.dirty, false);
  });

  it('still asks about what was not decided when something else arrives', () => {
    const d = record();
    d.change({ city: 'Eastness' });
    d.arrived({ name: 'Vell', city: 'Graywater', alert: '' }, 4);
    d.arrived({ name: 'Vell', city: 'Graywater', alert: 'Latex' }, 5);
    assert.deepEqual(d.clashes, [{ field: 'city', mine: 'Eastness', theirs: 'Graywater' }]);
    assert.equal(d.local.alert, 'Latex');
    assert.equal(d.send(), null);
  });

  it('keeps mine when that is decided', () => {
    const d = record();
    d.change({ city: 'Eastness' });
    d.arrived({ name: 'Vell', city: 'Graywater', alert: '' }, 5);
    d.decide('mine');
    assert.deepEqual(d.send(), { fields: { city: 'Eastness' }, version: 5 });
  });

  it('does not go back to what is older than what it holds', () => {
    const d = record();
    d.arrived({ name: 'Old', city: 'Old', alert: 'Old' }, 3);
    assert.equal(d.local.name, 'Vell');
  });
});
