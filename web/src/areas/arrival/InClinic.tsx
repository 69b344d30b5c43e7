/** Everybody in the building: the waiting line as a quay beside the rooms, which are berths. */

import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { type Schemas, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity } from '../../app/words';
import { Button, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Head, Notice, Row, Spread, Stack, Tag, WidePage } from '../../ui/layout';
import { half, part, space } from '../../ui/tokens';
import { Unbooked } from './Unbooked';
import { type Present, useMoves } from './moves';
import { Quay } from './Quay';
import { Rooms } from './Rooms';
import { inClinic } from './queries';

const Plan = styled.div`
  display: grid;
  grid-template-columns: minmax(${part.quay}, 1fr) minmax(0, 1.8fr);
  gap: ${space(6)};
  align-items: start;
  @media (max-width: ${half}) {
    grid-template-columns: 1fr;
  }
`;

const Berths = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${part.berth}, 1fr));
  gap: ${space(3)};
`;

/** Who is with whom, whose next one is ready. */
function Hands({ view, whose }: { view: Schemas['InClinicView']; whose: string }) {
  const { clinic } = useSession();
  const identity = useIdentity();
  return (
    <Row style={{ marginBottom: space(4) }} data-hands>
      {view.clinicians
        .filter((h) => whose === 'all' || h.clinicianId === whose)
        .map((h) => {
          const withOne = view.inRooms.find((p) => p.card.visit.id === h.withVisit);
          const word = withOne ? `${h.label} ${identity(withOne.card.person, withOne.card.visit.callSign)}` : h.label;
          const tone = withOne ? 'plain' : h.doing === 'one_is_ready' ? 'brass' : 'kelp';
          return (
            <Tag key={h.clinicianId} $tone={tone}>
              {clinic.staff.find((s) => s.id === h.clinicianId)?.name}: {word}
            </Tag>
          );
        })}
    </Row>
  );
}

export default function InClinic() {
  const { clinic, me } = useSession();
  const may = useMay();
  const look = useLook(inClinic());
  const identity = useIdentity();
  const [rooming, setRooming] = useState<Present | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const [unbooked, setUnbooked] = useState(false);
  const moves = useMoves({ onRoom: setRooming, setOver });
  const isClinician = me.staff.role === 'clinician';
  const [whose, setWhose] = useState<string>(isClinician ? me.staff.id : 'all');
  const [site, setSite] = useState('all');
  const { data: all, isFetching } = look;
  // Whoever comes to choose a room for somebody is asked which.
  const [params, setParams] = useSearchParams();
  const wanted = params.get('room');
  useEffect(() => {
    const found = all?.waiting.find((p) => p.card.visit.id === wanted) ?? null;
    if (!wanted || !all || (!found && isFetching)) return;
    setRooming(found);
    setParams({}, { replace: true });
  }, [wanted, all, isFetching, setParams]);
  const mine = (v: { clinicianId: string; siteId: string }) =>
    (whose === 'all' || v.clinicianId === whose) && (site === 'all' || v.siteId === site);
  const own = <T extends { card: Schemas['VisitCard'] }>(list: T[] | undefined) =>
    list?.filter((p) => mine(p.card.visit)) ?? [];
  const [waiting, leaving, elsewhere] = [own(all?.waiting), own(all?.leaving), own(all?.elsewhere)];
  const inRooms = all?.inRooms ?? [];
  const hasLab = (siteId: string) => clinic.rooms.some((r) => r.siteId === siteId && r.kind === 'lab' && r.active);
  const atLab = (p: Present) =>
    hasLab(p.card.visit.siteId) && clinic.ownStages.some((o) => o.id === p.card.visit.ownStageId && o.place === 'lab');
  const free = clinic.rooms.filter(
    (r) =>
      r.kind === 'exam' &&
      r.active &&
      !inRooms.some((x) => x.card.visit.roomId === r.id) &&
      (!rooming || r.siteId === rooming.card.visit.siteId),
  );
  return (
    <WidePage>
      <Head>
        <h1>In clinic</h1>
        {all && (
          <p>
            {waiting.length} waiting, {own(inRooms).length} in rooms, {leaving.length} ready to leave
          </p>
        )}
        <Spread />
        {may('book') && <Button onPress={() => setUnbooked(true)}>Without an appointment</Button>}
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
      {moves.refusal && !rooming && (
        <Notice $tone="coral" role="alert" style={{ marginBottom: space(4) }}>
          {moves.refusal.message}
        </Notice>
      )}
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} rows={8} />}
      {all && <Hands view={all} whose={whose} />}
      {all && (
        <Plan>
          <Quay
            waiting={waiting}
            elsewhere={elsewhere.filter((e) => !atLab(e))}
            late={own(all?.expected).filter((c) => c.lateMinutes != null)}
            moves={moves}
            onRoom={setRooming}
          />
          <section aria-label="Rooms">
            {clinic.sites
              .filter((s) => site === 'all' || s.id === site)
              .map((s) => (
                <Rooms
                  key={s.id}
                  site={s}
                  inRooms={inRooms}
                  leaving={leaving}
                  present={[...(all?.waiting ?? []), ...inRooms, ...elsewhere]}
                  mine={mine}
                  moves={moves}
                  over={over}
                />
              ))}
          </section>
        </Plan>
      )}
      {rooming && (
        <Dialog
          title={`Room for ${identity(rooming.card.person, rooming.card.visit.callSign)}`}
          open
          onClose={() => setRooming(null)}
        >
          <Stack>
            {moves.refusal && <Notice $tone="coral">{moves.refusal.message}</Notice>}
            <Berths>
              {free.map((r) => (
                <Button
                  key={r.id}
                  onPress={() =>
                    void moves
                      .go(rooming.card.visit.id, 'in_room', { roomId: r.id })
                      .then((done) => done && setRooming(null))
                  }
                  isDisabled={moves.busy}
                >
                  {r.name}
                </Button>
              ))}
            </Berths>
            {free.length === 0 && <p>Every room is taken.</p>}
          </Stack>
        </Dialog>
      )}
      {unbooked && <Unbooked onClose={() => setUnbooked(false)} />}
    </WidePage>
  );
}
