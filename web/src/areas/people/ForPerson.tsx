/** Something that is done for one person: who it is is found or added first, then comes what is done. */

import { type ReactNode, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useKept } from '../../app/kept';
import { useSession } from '../../app/session';
import { useIdentity } from '../../app/words';
import { usePersonInHand } from './inHand';
import { Button } from '../../ui/controls';
import { Row, Small, Spread } from '../../ui/layout';
import { FindPerson } from './FindPerson';
import { QuickAdd } from './QuickAdd';

type Card = Schemas['PersonCard'];

export function ForPerson(p: {
  /** Where what was typed is kept. */
  place: string;
  /** Who it is, when that is plain. */
  person?: Card;
  /** Above the search, while nobody is chosen. */
  before?: (take: (person: Card) => void) => ReactNode;
  children: (person: Card) => ReactNode;
}) {
  const inHand = usePersonInHand();
  const identity = useIdentity();
  const { discreet } = useSession();
  const [person, setPerson] = useKept<Card | null>(p.place, 'person', p.person ?? null);
  const [typed, setTyped] = useState<string | null>(null);
  if (typed !== null) {
    const added = (card: Card) => {
      setPerson(card);
      setTyped(null);
    };
    return <QuickAdd typed={typed} onDone={added} onBack={() => setTyped(null)} />;
  }
  if (!person)
    return (
      <>
        {p.before?.(setPerson)}
        <FindPerson onTake={setPerson} onNew={setTyped} preferred={inHand} />
      </>
    );
  return (
    <>
      <Row>
        <div>
          <strong>{identity(person)}</strong>
          <br />
          <Small>{[person.age, !discreet && person.recordNumber].filter(Boolean).join(' · ')}</Small>
        </div>
        <Spread />
        {!p.person && <Button onPress={() => setPerson(null)}>Somebody else</Button>}
      </Row>
      {p.children(person)}
    </>
  );
}
