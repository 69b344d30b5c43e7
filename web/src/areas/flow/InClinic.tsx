/** Everybody in the building: the waiting line as a quay beside the rooms, which are berths. */

import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Dialog } from '../../ui/controls';
import { Empty, Head, Mono, Notice, Row, Small, Stack, Tag, WidePage } from '../../ui/layout';
import { color, corner, hair, half, ledge, part, ring, ringGap, size, space } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';

type Present = Schemas['Present'];

const Plan = styled.div`
  display: grid;
  grid-template-columns: minmax(${part.quay}, 1fr) minmax(0, 1.8fr);
  gap: ${space(6)};
  align-items: start;
  @media (max-width: ${half}) {
    grid-template-columns: 1fr;
  }
`;

const Quay = styled.ol`
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

const Berths = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${part.berth}, 1fr));
  gap: ${space(3)};
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
  &[data-stage='with_clinician'] {
    border-top-color: ${color.indigo};
  }
  &[data-stage='in_room'] {
    border-top-color: ${color.brass};
  }
  > header {
    display: flex;
    justify-content: space-between;
    font-size: ${size.small};
    color: ${color.quiet};
    margin-bottom: ${space(1)};
  }
`;

const Name = styled.button`
  all: unset;
  cursor: pointer;
  font-weight: 600;
  &:focus-visible {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

const long = (minutes: number) => (minutes >= 30 ? 'coral' : minutes >= 15 ? 'brass' : 'plain');

export default function InClinic() {
  const { clinic, setInHand, inHand } = useSession();
  const look = useLook(['clinic-now'], () => api.GET('/api/in-clinic'));
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const [rooming, setRooming] = useState<Present | null>(null);
  const data = look.data;
  const stage = (visit: string, to: string, roomId?: string) =>
    run(() =>
      api.POST('/api/visits/{id}/stage', { params: { path: { id: visit } }, body: { to, roomId: roomId ?? null } }),
    );
  const inHandVisit = inHand && 'visit' in inHand ? inHand.visit : null;
  const toRoom = async (roomId: string) => {
    if (rooming && (await stage(rooming.card.visit.id, 'in_room', roomId))) setRooming(null);
  };
  const staff = (id: string) => clinic.staff.find((s) => s.id === id)?.name ?? '';
  const free = clinic.rooms.filter(
    (r) => r.kind === 'exam' && !data?.inRooms.some((p) => p.card.visit.roomId === r.id),
  );
  const who = (p: Present) => (
    <Name type="button" onClick={() => setInHand({ visit: p.card.visit.id })} data-present={p.card.person.recordNumber}>
      {identity(p.card.person, p.card.visit.callSign)}
    </Name>
  );
  return (
    <WidePage>
      <Head>
        <h1>In clinic</h1>
        <p>
          {data?.waiting.length ?? 0} waiting, {data?.inRooms.length ?? 0} in rooms, {data?.leaving.length ?? 0} ready
          to leave
        </p>
      </Head>
      {refusal && (
        <Notice $tone="coral" role="alert" style={{ marginBottom: space(4) }}>
          {refusal.message}
        </Notice>
      )}
      <Plan>
        <section aria-label="Waiting">
          <h2 style={{ marginBottom: space(3) }}>Waiting, in expected order</h2>
          <Quay>
            {data?.waiting.map((p) => (
              <Waits key={p.card.visit.id} data-selected={inHandVisit === p.card.visit.id}>
                <Row $gap={2}>
                  {who(p)}
                  <Small>{p.card.visit.callSign}</Small>
                </Row>
                <Small>
                  {staff(p.card.visit.clinicianId)}, booked <Mono>{times.time(p.card.visit.startsAt)}</Mono>
                </Small>
                <Row $gap={2}>
                  <Tag $tone={long(p.totalMinutes)}>{p.totalMinutes} min here</Tag>
                  <Small>{p.expectedMinutes ? `room in about ${p.expectedMinutes} min` : 'room now'}</Small>
                </Row>
                <CompactLine line={p.card.line} />
                {may('move_patients') && (
                  <Row $gap={2}>
                    <Button
                      onPress={() => setRooming(p)}
                      isDisabled={busy}
                      aria-label={`Choose a room for ${p.card.person.name}`}
                    >
                      Choose a room
                    </Button>
                    <Button
                      $kind="quiet"
                      onPress={() => void stage(p.card.visit.id, 'left_unseen')}
                      aria-label={`Left unseen: ${p.card.person.name}`}
                    >
                      Left unseen
                    </Button>
                  </Row>
                )}
              </Waits>
            ))}
            {data?.waiting.length === 0 && (
              <Empty>Nobody waits. Whoever is marked as here lines up at this quay.</Empty>
            )}
          </Quay>
        </section>
        <section aria-label="Rooms">
          {clinic.sites.map((site) => (
            <div key={site.id} style={{ marginBottom: space(6) }}>
              <h2 style={{ marginBottom: space(3) }}>{site.name}</h2>
              <Berths>
                {clinic.rooms
                  .filter((r) => r.siteId === site.id && r.kind === 'exam')
                  .map((room) => {
                    const p = data?.inRooms.find((x) => x.card.visit.roomId === room.id);
                    return (
                      <Berth
                        key={room.id}
                        data-taken={p !== undefined}
                        data-stage={p?.card.visit.stage}
                        data-room={room.name}
                      >
                        <header>
                          <span>{room.name}</span>
                          {p && <span>{p.stageMinutes} min</span>}
                        </header>
                        {p ? (
                          <Stack $gap={1}>
                            {who(p)}
                            <Small>
                              {p.card.visit.stage === 'with_clinician' ? 'with' : 'for'}{' '}
                              {staff(p.card.visit.clinicianId)}
                            </Small>
                            <CompactLine line={p.card.line} />
                          </Stack>
                        ) : (
                          'free'
                        )}
                      </Berth>
                    );
                  })}
              </Berths>
            </div>
          ))}
          {(data?.leaving.length ?? 0) > 0 && (
            <>
              <h2 style={{ marginBottom: space(3) }}>Ready to leave</h2>
              <Berths>
                {data?.leaving.map((p) => (
                  <Berth key={p.card.visit.id} data-taken>
                    <header>
                      <span>checkout</span>
                      <span>{p.totalMinutes} min in all</span>
                    </header>
                    <Stack $gap={2}>
                      {who(p)}
                      <Button
                        onPress={() => void stage(p.card.visit.id, 'left')}
                        isDisabled={busy}
                        aria-label={`Has left: ${p.card.person.name}`}
                      >
                        Has left
                      </Button>
                    </Stack>
                  </Berth>
                ))}
              </Berths>
            </>
          )}
        </section>
      </Plan>
      {rooming && (
        <Dialog
          title={`Room for ${identity(rooming.card.person, rooming.card.visit.callSign)}`}
          open
          onClose={() => setRooming(null)}
        >
          <Stack>
            {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
            <Berths>
              {free.map((r) => (
                <Button key={r.id} onPress={() => void toRoom(r.id)} isDisabled={busy}>
                  {r.name}
                </Button>
              ))}
            </Berths>
            {free.length === 0 && <p>Every room is taken.</p>}
          </Stack>
        </Dialog>
      )}
    </WidePage>
  );
}
