/** Everybody in the building: the waiting line as a quay beside the rooms, which are berths. */

import { type DragEvent, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Menu } from '../../ui/choices';
import { Button, Dialog, Pick } from '../../ui/controls';
import { Empty, Head, Mono, Notice, Row, Small, Spread, Stack, Tag, WidePage } from '../../ui/layout';
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
  &[data-over='true'] {
    background: ${color.selected};
    border-color: ${color.indigo};
  }
  &[data-other='true'] {
    opacity: 0.55;
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

const Name = styled.button`
  all: unset;
  cursor: pointer;
  font-weight: 600;
  &:focus-visible {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

const tones: Record<string, 'coral' | 'brass' | 'plain'> = { too_long: 'coral', long: 'brass', fine: 'plain' };
const columns = (rooms: { placeX: number }[]) => Math.max(1, ...rooms.map((r) => r.placeX + 1));

/** Rooms as they lie in the clinic's own drawing. */
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

export default function InClinic() {
  const { clinic, setInHand, inHand, me } = useSession();
  const look = useLook(['clinic-now'], () => api.GET('/api/in-clinic'));
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const [rooming, setRooming] = useState<Present | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const isClinician = me.staff.role === 'clinician';
  const [whose, setWhose] = useState<string>(isClinician ? me.staff.id : 'all');
  const [site, setSite] = useState('all');
  const all = look.data;
  const stage = (visit: string, to: string, roomId?: string) =>
    run(() =>
      api.POST('/api/visits/{id}/stage', { params: { path: { id: visit } }, body: { to, roomId: roomId ?? null } }),
    );
  const inHandVisit = inHand && 'visit' in inHand ? inHand.visit : null;
  const toRoom = async (visit: string, roomId: string) => {
    if (await stage(visit, 'in_room', roomId)) setRooming(null);
  };
  const staff = (id: string) => clinic.staff.find((s) => s.id === id)?.name ?? '';
  const mine = (v: { clinicianId: string; siteId: string }) =>
    (whose === 'all' || v.clinicianId === whose) && (site === 'all' || v.siteId === site);
  const own = <T extends { card: Schemas['VisitCard'] }>(list: T[] | undefined) =>
    list?.filter((p) => mine(p.card.visit)) ?? [];
  const [waiting, leaving, coming] = [own(all?.waiting), own(all?.leaving), own(all?.expected)];
  const late = coming.filter((c) => c.lateMinutes != null);
  const inRoom = (room: string) => all?.inRooms.find((x) => x.card.visit.roomId === room);
  const exam = clinic.rooms.filter((r) => r.kind === 'exam' && r.active);
  const free = exam.filter((r) => !inRoom(r.id) && (!rooming || r.siteId === rooming.card.visit.siteId));
  const who = (p: { card: Schemas['VisitCard'] }) => (
    <Name type="button" onClick={() => setInHand({ visit: p.card.visit.id })} data-present={p.card.person.recordNumber}>
      {identity(p.card.person, p.card.visit.callSign)}
    </Name>
  );
  const drag = (p: Present) =>
    may('move_patients')
      ? {
          draggable: true,
          onDragStart: (event: DragEvent) => event.dataTransfer.setData('text/plain', p.card.visit.id),
        }
      : {};
  const drop = (room: string) => ({
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(room);
    },
    onDragLeave: () => setOver(null),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      setOver(null);
      const visit = event.dataTransfer.getData('text/plain');
      if (visit) void toRoom(visit, room);
    },
  });
  const menu = (p: Present) => (
    <Menu
      short
      label={`More for ${identity(p.card.person, p.card.visit.callSign)}`}
      items={[
        { id: 'next', label: 'On to the next stage', onChoose: () => void stage(p.card.visit.id, 'next') },
        { id: 'back', label: 'Take the last move back', onChoose: () => void stage(p.card.visit.id, 'back') },
        { id: 'room', label: 'Choose a room', onChoose: () => setRooming(p) },
        { id: 'ready', label: 'Ready to leave', onChoose: () => void stage(p.card.visit.id, 'ready_to_leave') },
        { id: 'unseen', label: 'Left without being seen', onChoose: () => void stage(p.card.visit.id, 'left_unseen') },
      ]}
    />
  );
  return (
    <WidePage>
      <Head>
        <h1>In clinic</h1>
        <p>
          {waiting.length} waiting, {own(all?.inRooms).length} in rooms, {leaving.length} ready to leave
        </p>
        <Spread />
        <Pick
          label="Whose"
          hideLabel
          value={whose}
          onChange={setWhose}
          choices={[
            { id: 'all', label: 'Everybody' },
            ...clinic.staff
              .filter((s) => s.role === 'clinician' && s.active)
              .map((s) => ({ id: s.id, label: s.id === me.staff.id ? 'Mine' : s.name })),
          ]}
        />
        <Pick
          label="Site"
          hideLabel
          value={site}
          onChange={setSite}
          choices={[{ id: 'all', label: 'All sites' }, ...clinic.sites.map((s) => ({ id: s.id, label: s.name }))]}
        />
      </Head>
      {refusal && (
        <Notice $tone="coral" role="alert" style={{ marginBottom: space(4) }}>
          {refusal.message}
        </Notice>
      )}
      <Row style={{ marginBottom: space(4) }} data-hands>
        {all?.clinicians
          .filter((h) => whose === 'all' || h.clinicianId === whose)
          .map((h) => {
            const withOne = all.inRooms.find((p) => p.card.visit.id === h.withVisit);
            const word = withOne
              ? `with ${identity(withOne.card.person, withOne.card.visit.callSign)}`
              : h.readyVisits.length > 0
                ? `free, ${h.readyVisits.length} ready in a room`
                : h.waiting > 0
                  ? 'free, next one waits'
                  : h.lastHasLeft
                    ? 'last patient has left'
                    : 'free';
            return (
              <Tag key={h.clinicianId} $tone={withOne ? 'plain' : h.readyVisits.length > 0 ? 'brass' : 'kelp'}>
                {staff(h.clinicianId)}: {word}
              </Tag>
            );
          })}
      </Row>
      <Plan>
        <section aria-label="Waiting">
          <h2 style={{ marginBottom: space(3) }}>Waiting, in expected order</h2>
          <Quay>
            {waiting.map((p) => (
              <Waits key={p.card.visit.id} data-selected={inHandVisit === p.card.visit.id} {...drag(p)}>
                <Row $gap={2}>
                  {who(p)}
                  <Small>{p.card.visit.callSign}</Small>
                  <Spread />
                  {may('move_patients') && menu(p)}
                </Row>
                <Small>
                  {staff(p.card.visit.clinicianId)}, booked <Mono>{times.time(p.card.visit.startsAt)}</Mono>
                  {p.lateMinutes != null && ` · came ${p.lateMinutes} min late`}
                </Small>
                <Row $gap={2}>
                  <Tag $tone={tones[p.wait]}>{p.totalMinutes} min here</Tag>
                  <Small data-expected={p.expectedMinutes}>
                    {p.expectedMinutes ? `room in about ${p.expectedMinutes} min` : 'room now'}
                  </Small>
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
            {all && waiting.length === 0 && (
              <Empty>Nobody waits. Whoever is marked as here lines up at this quay.</Empty>
            )}
          </Quay>
          {late.length > 0 && (
            <Stack $gap={2} style={{ marginTop: space(5) }} data-late>
              <h2>Late, not here yet</h2>
              {late.map((c) => (
                <Row key={c.card.visit.id} $gap={2}>
                  {who(c)}
                  <Tag $tone="brass">{c.lateMinutes} min late</Tag>
                  <Small>
                    {staff(c.card.visit.clinicianId)}, <Mono>{times.time(c.card.visit.startsAt)}</Mono>
                  </Small>
                </Row>
              ))}
            </Stack>
          )}
        </section>
        <section aria-label="Rooms">
          {clinic.sites
            .filter((s) => site === 'all' || s.id === site)
            .map((s) => {
              const rooms = clinic.rooms.filter((r) => r.siteId === s.id && r.active);
              return (
                <div key={s.id} style={{ marginBottom: space(6) }}>
                  <h2 style={{ marginBottom: space(3) }}>{s.name}</h2>
                  <Drawing $columns={columns(rooms)}>
                    {rooms.map((room) => {
                      const p = inRoom(room.id);
                      const gathered =
                        room.kind === 'checkout' ? leaving.filter((l) => l.card.visit.siteId === s.id) : [];
                      const at = { gridColumn: room.placeX + 1, gridRow: room.placeY + 1 };
                      return (
                        <Berth
                          key={room.id}
                          style={at}
                          data-taken={p !== undefined || gathered.length > 0}
                          data-stage={p?.card.visit.stage}
                          data-room={room.name}
                          data-over={over === room.id}
                          data-other={p !== undefined && !mine(p.card.visit)}
                          {...(room.kind === 'exam' && !p ? drop(room.id) : {})}
                        >
                          <header>
                            <span>{room.name}</span>
                            {p && may('move_patients') && menu(p)}
                          </header>
                          {p && (
                            <Stack $gap={1} {...drag(p)}>
                              {who(p)}
                              <Small>
                                {p.card.visit.stage === 'with_clinician' ? 'with' : 'for'}{' '}
                                {staff(p.card.visit.clinicianId)}
                              </Small>
                              <Row $gap={2}>
                                <Tag $tone={tones[p.wait]}>{p.stageMinutes} min</Tag>
                                <Small>{p.totalMinutes} in all</Small>
                              </Row>
                              <CompactLine line={p.card.line} />
                            </Stack>
                          )}
                          {gathered.map((l) => (
                            <Stack key={l.card.visit.id} $gap={1}>
                              {who(l)}
                              <Small>{l.totalMinutes} min in all</Small>
                              {may('move_patients') && (
                                <Button
                                  onPress={() => void stage(l.card.visit.id, 'left')}
                                  isDisabled={busy}
                                  aria-label={`Has left: ${l.card.person.name}`}
                                >
                                  Has left
                                </Button>
                              )}
                            </Stack>
                          ))}
                          {!p && gathered.length === 0 && (room.kind === 'exam' ? 'free' : <Small>nobody</Small>)}
                        </Berth>
                      );
                    })}
                  </Drawing>
                  {!rooms.some((r) => r.kind === 'checkout') &&
                    leaving
                      .filter((l) => l.card.visit.siteId === s.id)
                      .map((l) => (
                        <Row key={l.card.visit.id} style={{ marginTop: space(3) }}>
                          {who(l)}
                          <Small>ready to leave, {l.totalMinutes} min in all</Small>
                          {may('move_patients') && (
                            <Button
                              onPress={() => void stage(l.card.visit.id, 'left')}
                              aria-label={`Has left: ${l.card.person.name}`}
                            >
                              Has left
                            </Button>
                          )}
                        </Row>
                      ))}
                </div>
              );
            })}
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
                <Button key={r.id} onPress={() => void toRoom(rooming.card.visit.id, r.id)} isDisabled={busy}>
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
