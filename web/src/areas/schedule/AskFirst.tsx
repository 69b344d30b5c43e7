/** What is asked before a time is given to somebody, since it is seldom meant: told once, done when that is said. */

import { useState } from 'react';
import type { Refusal, Schemas } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Row, Spread } from '../../ui/layout';

type Doubt = Schemas['Doubt'];
type Slot = Schemas['Slot'];

/** Back to where somebody was before, nothing is asked: it was there. */
export const everyDoubt: Doubt[] = ['other_type', 'twice_at_once', 'same_day', 'swallows', 'age'];

/** The doubts that a refusal tells. */
const doubtsOf = (refusal: Refusal | null): Doubt[] =>
  refusal?.is('ask-first') ? ((refusal.problem.current ?? []) as { doubt: Doubt }[]).map((asked) => asked.doubt) : [];

/** What was said once holds until the time is another one. */
export function useMeant() {
  const [meant, setMeant] = useState<Doubt[]>([]);
  const also = (refusal: Refusal | null) => {
    const all = [...new Set([...meant, ...doubtsOf(refusal)])];
    setMeant(all);
    return all;
  };
  return { meant, also, anew: () => setMeant([]) };
}

export function AskFirst(p: { refusal: Refusal | null; what: string; busy?: boolean; onMeant: () => void }) {
  if (doubtsOf(p.refusal).length === 0) return null;
  return (
    <Row>
      <Spread />
      <Button onPress={p.onMeant} isDisabled={p.busy ?? false}>
        {p.what}
      </Button>
    </Row>
  );
}

/** The next best times, when somebody else was faster. */
export const offeredBy = (refusal: Refusal | null): Slot[] =>
  refusal?.is('taken') ? ((refusal.problem.current ?? []) as Slot[]) : [];

/** When and with whom a slot is: Tue, Nov 24 10:20, Renneberg. */
export function useSlotWords() {
  const { clinic } = useSession();
  const times = useTimes();
  return (s: Slot) =>
    `${times.day(s.startsAt)} ${times.time(s.startsAt)}, ${clinic.staff.find((x) => x.id === s.clinicianId)?.lastName ?? ''}`;
}
