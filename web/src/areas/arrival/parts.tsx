/** A person on the plan of the building: the name that opens the visit, and how long they are here. */

import styled from 'styled-components';
import { useSession } from '../../app/session';
import { useIdentity } from '../../app/words';
import type { Schemas } from '../../api/client';
import { Row, Small, Tag } from '../../ui/layout';
import { ring, ringGap } from '../../ui/tokens';
import { type Present, tones } from './moves';

const Name = styled.button`
  all: unset;
  cursor: pointer;
  font-weight: 600;
  &:focus-visible {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

export function Who({ card }: { card: Schemas['VisitCard'] }) {
  const { setInHand } = useSession();
  const identity = useIdentity();
  return (
    <Name
      type="button"
      onClick={() => setInHand({ visit: card.visit.id })}
      data-item
      data-present={card.person.recordNumber}
    >
      {identity(card.person, card.visit.callSign)}
    </Name>
  );
}

/** Minutes in the present stage, with its name when it is the clinic's own, and in all. */
export function Stay({ p }: { p: Present }) {
  return (
    <Row $gap={2}>
      {p.card.visit.ownStageId && <Tag data-own-stage>{p.card.stage}</Tag>}
      <Tag $tone={tones[p.wait]}>{p.stageMinutes} min</Tag>
      <Small>{p.totalMinutes} in all</Small>
    </Row>
  );
}
