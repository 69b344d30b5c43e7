import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { findPayers } from '../src/areas/coverage/findPayers';

const payers = [
  { name: 'Saltmarsh Mutual Health Plan', payerCode: 'SALTM', telephone: '2075550190', address: 'Marrow Ferry, ME' },
  { name: 'Beacon Shoals Benefit Trust', payerCode: 'BEACN', telephone: '2075550191', address: 'Port Calder, ME' },
  { name: 'Ferrywright Employers’ Fund', payerCode: 'FERRY', telephone: '', address: '' },
];
const found = (typed: string) => findPayers(payers, typed).map((p) => p.payerCode);

describe('finding a payer', () => {
  it('goes by the beginnings of words of name, address and payer code, in any order', () => {
    assert.deepEqual(found('mut salt'), ['SALTM']);
    assert.deepEqual(found('BEACN'), ['BEACN']);
    assert.deepEqual(found('calder'), ['BEACN']);
    assert.deepEqual(found('ferry'), ['SALTM', 'FERRY']);
    assert.deepEqual(found('altmarsh'), []);
  });

  it('goes by the telephone, however it is written', () => {
    assert.deepEqual(found('(207) 555-0191'), ['BEACN']);
    assert.deepEqual(found('1-207-555-0190'), ['SALTM']);
    assert.deepEqual(found('0190'), ['SALTM']);
  });

  it('shows all of them before anything is typed', () => {
    assert.equal(found(' ').length, 3);
  });
});
