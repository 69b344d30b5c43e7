import assert from 'node:assert/strict';
import { test } from 'node:test';
import { holdsAll, wordsOf } from '../src/areas/schedule/searching';

const card = 'Takahashi-Doyle, Wren Cough for a week Coral 6 IH-10006';

test('a name is found as it is said and as it is written', () => {
  for (const typed of ['wren takahashi', 'Takahashi-Doyle, Wren', 'TAKA', 'wren doyle', 'coral cough', '10006', ' '])
    assert.ok(holdsAll(card, wordsOf(typed)), typed);
  for (const typed of ['wren takahasi', 'tobias', 'wren 10007']) assert.ok(!holdsAll(card, wordsOf(typed)), typed);
});

test('accents are no hindrance, typed or not', () => {
  assert.ok(holdsAll('Halvorsen, Lucía', wordsOf('lucia')));
  assert.ok(holdsAll('Halvorsen, Lucia', wordsOf('Lucía')));
});
