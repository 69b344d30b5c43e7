/** The rooms of a site as berths, where the clinic drew them. */

import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity } from '../../app/words';
import { Button } from '../../ui/controls';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { color, corner, hair, half, ledge, size, space } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import type { Moves, Present } from './moves';
import { Stay, Who } from './parts';

const columns = (rooms: { placeX: number }[]) => Math.max(1, ...rooms.map((r) => r.placeX + 1));

const Drawing = styled.div<{ $columns: number }>`
  display: grid;
  grid-template-columns: repeat(${(p) => p.$columns}, minmax(0, 1fr));
  gap: ${space(3)};
  @media (max-width: ${half}) {
    grid-template-columns: 1fr 1fr;
    > * {
      grid-area: auto !important;
    }
  }
`;

const Berth = styled.div`
  min-height: ${space(32)};
  padding: ${space(2.5)} ${space(3)};
  border-radius: ${corner};
  border: ${hair};
  border-top: ${ledge} solid ${color.line};
  background: ${color.sheet};
  &[data-taken='false'] {
    background: transparent;
    border-style: dashed;
    border-top-style: solid;
    color: ${color.quiet};
  }
  &[data-over='true'] {
    background: ${color.selected};
    border-color: ${color.indigo};
  }
  &[data-other='true'] {
    color: ${color.quiet};
    background: ${color.paper};
  }
  &[data-stage='with_clinician'] {
    border-top-color: ${color.indigo};
  }
  &[data-stage='in_room'] {
    border-top-color: ${color.brass};
  }
  overflow: hidden;
  > header {
    display: flex;
    justify-content: space-between;
    align-items: center;
    min-height: ${space(8)};
    font-size: ${size.small};
    color: ${color.quiet};
    margin-bottom: ${space(1)};
  }
`;

export function Rooms(p: {
  site: Schemas['Site'];
  inRooms: Present[];
  leaving: Present[];
  /** Everybody who may be at one of the clinic's own stages, wherever they are. */
  present: Present[];
  mine: (visit: Schemas['Visit']) => boolean;
  moves: Moves;
  over: string | null;
}) {
  const { clinic } = useSession();
  const identity = useIdentity();
  const may = useMay();
  const { go, drag, drop, menu, busy } = p.moves;
  const rooms = clinic.rooms.filter((r) => r.siteId === p.site.id && r.active);
  const staff = (id: string) => clinic.staff.find((s) => s.id === id)?.name ?? '';
  const leaving = p.leaving.filter((l) => l.card.visit.siteId === p.site.id);
  const drawn = clinic.ownStages.filter((o) => o.place === 'lab');
  const toLab = (visit: string) => {
    const from = p.present.find((x) => x.card.visit.id === visit)?.card.visit.stage;
    const stage = drawn.find((o) => o.afterStage === from);
    if (from && stage) void go(visit, from, { ownStageId: stage.id });
  };
  /** Who is gathered at a room that is not for examining. */
  const gathered = (room: Schemas['Room']) =>
    room.kind === 'checkout'
      ? leaving
      : room.kind === 'lab'
        ? p.present.filter(
            (x) => x.card.visit.siteId === p.site.id && drawn.some((o) => o.id === x.card.visit.ownStageId),
          )
        : [];
  const hasLeft = (l: Present) =>
    may('move_patients') && (
      <Button
        onPress={() => void go(l.card.visit.id, 'left')}
        isDisabled={busy}
        aria-label={`Has left: ${identity(l.card.person, l.card.visit.callSign)}`}
      >
        Has left
      </Button>
    );
  return (
    <div style={{ marginBottom: space(6) }}>
      <h2 style={{ marginBottom: space(3) }}>{p.site.name}</h2>
      <Drawing $columns={columns(rooms)}>
        {rooms.map((room) => {
          const one = p.inRooms.find((x) => x.card.visit.roomId === room.id);
          const here = gathered(room);
          const takes =
            room.kind === 'exam' && !one
              ? drop(room.id, (visit) => void go(visit, 'in_room', { roomId: room.id }))
              : room.kind === 'lab' && drawn.length > 0
                ? drop(room.id, toLab)
                : {};
          return (
            <Berth
              key={room.id}
              style={{ gridColumn: room.placeX + 1, gridRow: room.placeY + 1 }}
              data-taken={one !== undefined || here.length > 0}
              data-stage={one?.card.visit.stage}
              data-room={room.name}
              data-over={p.over === room.id}
              data-other={one !== undefined && !p.mine(one.card.visit)}
              {...takes}
            >
              <header>
                <span>{room.name}</span>
                {one && menu(one)}
              </header>
              {one && (
                <Stack $gap={1} {...drag(one)}>
                  <Who card={one.card} />
                  <Small>
                    {one.card.visit.stage === 'with_clinician' && !one.card.visit.ownStageId ? 'with' : 'for'}{' '}
                    {staff(one.card.visit.clinicianId)}
                  </Small>
                  <Stay p={one} />
                  <CompactLine line={one.card.line} />
                </Stack>
              )}
              {here.map((l) => (
                <Stack key={l.card.visit.id} $gap={1}>
                  <Who card={l.card} />
                  {room.kind === 'lab' ? (
                    <Row $gap={2}>
                      <Small>{l.stageMinutes} min</Small>
                      <Spread />
                      {menu(l)}
                    </Row>
                  ) : (
                    <Small>{l.totalMinutes} min in all</Small>
                  )}
                  {room.kind === 'checkout' && hasLeft(l)}
                </Stack>
              ))}
              {!one && here.length === 0 && (room.kind === 'exam' ? 'free' : <Small>nobody</Small>)}
            </Berth>
          );
        })}
      </Drawing>
      {!rooms.some((r) => r.kind === 'checkout') &&
        leaving.map((l) => (
          <Row key={l.card.visit.id} style={{ marginTop: space(3) }}>
            <Who card={l.card} />
            <Small>ready to leave, {l.totalMinutes} min in all</Small>
            {hasLeft(l)}
          </Row>
        ))}
    </div>
  );
}
