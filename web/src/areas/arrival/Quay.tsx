/** The waiting line in expected order, who sits elsewhere between two stages, and who is late. */

import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, corner, hair, ledge, space } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import { type Moves, type Present, tones } from './moves';
import { Stay, Who } from './parts';

const Line = styled.ol`
  border-left: ${ledge} solid ${color.line};
  padding-left: ${space(4)};
  display: flex;
  flex-direction: column;
  gap: ${space(3)};
`;

const Waits = styled.li`
  display: grid;
  gap: ${space(1)};
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(2.5)} ${space(3)};
`;

function Waiting({ p, moves, onRoom }: { p: Present; moves: Moves; onRoom: (p: Present) => void }) {
  const { clinic, inHand } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const { visit, person } = p.card;
  const selected = inHand && 'visit' in inHand && inHand.visit === visit.id;
  return (
    <Waits data-selected={selected} {...moves.drag(p)}>
      <Row $gap={2}>
        <Who card={p.card} />
        <Small>{visit.callSign}</Small>
        <Spread />
        {moves.menu(p)}
      </Row>
      <Small>
        {clinic.staff.find((s) => s.id === visit.clinicianId)?.name}
        {visit.appointment ? ', booked ' : ', no appointment, came '}
        <Mono>{times.time(visit.startsAt)}</Mono>
        {p.lateMinutes != null && ` · came ${p.lateMinutes} min late`}
      </Small>
      <Row $gap={2}>
        {visit.ownStageId && <Tag data-own-stage>{p.card.stage}</Tag>}
        <Tag $tone={tones[p.wait]}>{p.totalMinutes} min here</Tag>
        <Small data-expected={p.expectedMinutes}>
          {p.expectedMinutes ? `room in about ${p.expectedMinutes} min` : 'room now'}
        </Small>
      </Row>
      <CompactLine line={p.card.line} />
      {may('move_patients') && (
        <Row $gap={2}>
          <Button
            onPress={() => onRoom(p)}
            isDisabled={moves.busy}
            aria-label={`Choose a room for ${identity(person, p.card.visit.callSign)}`}
          >
            Choose a room
          </Button>
          <Button
            $kind="quiet"
            onPress={() => void moves.go(visit.id, 'left_unseen')}
            aria-label={`Left unseen: ${identity(person, p.card.visit.callSign)}`}
          >
            Left unseen
          </Button>
        </Row>
      )}
    </Waits>
  );
}

export function Quay(p: {
  waiting: Present[];
  elsewhere: Present[];
  late: Schemas['Coming'][];
  moves: Moves;
  onRoom: (p: Present) => void;
}) {
  const { clinic } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const staff = (id: string) => clinic.staff.find((s) => s.id === id)?.name ?? '';
  return (
    <section aria-label="Waiting">
      <h2 style={{ marginBottom: space(3) }}>Waiting, in expected order</h2>
      <Line>
        {p.waiting.map((w) => (
          <Waiting key={w.card.visit.id} p={w} moves={p.moves} onRoom={p.onRoom} />
        ))}
        {p.waiting.length === 0 && <Empty>Nobody waits. Whoever is marked as here lines up at this quay.</Empty>}
      </Line>
      {p.elsewhere.length > 0 && (
        <Stack $gap={2} style={{ marginTop: space(5) }} data-elsewhere>
          <h2>Between two stages</h2>
          {p.elsewhere.map((e) => (
            <Row key={e.card.visit.id} $gap={2}>
              <Who card={e.card} />
              <Stay p={e} />
              <Spread />
              {p.moves.menu(e)}
            </Row>
          ))}
        </Stack>
      )}
      {p.late.length > 0 && (
        <Stack $gap={2} style={{ marginTop: space(5) }} data-late>
          <h2>Late, not here yet</h2>
          {p.late.map((c) => (
            <Row key={c.card.visit.id} $gap={2}>
              <Who card={c.card} />
              <Tag $tone="brass">{c.lateMinutes} min late</Tag>
              <Small>
                {staff(c.card.visit.clinicianId)}, <Mono>{times.time(c.card.visit.startsAt)}</Mono>
              </Small>
              <Spread />
              {may('move_patients') && (
                <Button
                  isDisabled={p.moves.busy}
                  onPress={() => void p.moves.go(c.card.visit.id, 'here')}
                  aria-label={`Mark as here: ${identity(c.card.person, c.card.visit.callSign)}`}
                >
                  Mark as here
                </Button>
              )}
            </Row>
          ))}
        </Stack>
      )}
    </section>
  );
}
