/** The person in hand, whether as a record or with a visit. */

import { type Schemas, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { visit as visitQuery } from '../visit_line/queries';
import { person as personQuery } from './queries';

export function usePersonInHand(): Schemas['PersonCard'] | undefined {
  const { inHand } = useSession();
  const visit = inHand && 'visit' in inHand ? inHand.visit : undefined;
  const person = inHand && 'person' in inHand ? inHand.person : undefined;
  const ofVisit = useLook(visitQuery(visit ?? ''), visit !== undefined);
  const alone = useLook(personQuery(person ?? ''), person !== undefined);
  return ofVisit.data?.card.person ?? alone.data?.card;
}
