/** How the states of a claim look: a tone and a shape, beside their word. */

import type { Schemas } from '../../api/client';
import type { Tone } from '../../ui/layout';

type State = Schemas['ClaimState'];

export const tone: Record<State, Tone> = {
  void: 'plain',
  ready: 'tide',
  rejected: 'coral',
  denied: 'coral',
  paid: 'kelp',
  accepted: 'plain',
  sent: 'plain',
};
export const shape: Record<State, string> = {
  ready: '○',
  sent: '→',
  accepted: '⇄',
  rejected: '✕',
  denied: '✕',
  paid: '✓',
  void: '–',
};
