/** The building: its rooms as they lie in the clinic's own drawing, and the thresholds of the day. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { SaveRow } from './Changeable';
import { OwnStages } from '../arrival/OwnStages';
import { color, corner, part, space } from '../../ui/tokens';

type Room = Schemas['Room'];

function RoomDialog({ room, isNew, onClose }: { room: Room; isNew: boolean; onClose: () => void }) {
  const [name, setName] = useState(room.name);
  const [kind, setKind] = useState<string>(room.kind);
  const { roomKinds } = useSession().clinic.looks;
  const { run, busy, refusal } = useDo();
  const save = async (active: boolean) => {
    const body = { siteId: room.siteId, name, kind, placeX: room.placeX, placeY: room.placeY, active };
    if (await run(() => api.PUT('/api/settings/rooms/{id}', { params: { path: { id: room.id } }, body }))) onClose();
  };
  return (
    <Dialog title={isNew ? 'New room' : `Change ${room.name}`} open onClose={onClose}>
      <Form refusal={refusal}>
        <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
        <Choose label="What it is for" value={kind} onChange={setKind} choices={roomKinds} />
        <Refused />
        <SaveRow what="room" old={!isNew} busy={busy} save={(active) => void save(active)} />
      </Form>
    </Dialog>
  );
}

function SiteDialog({ site, onClose }: { site: Schemas['Site']; onClose: () => void }) {
  const [addressLine, setAddressLine] = useState(site.addressLine);
  const [city, setCity] = useState(site.city);
  const [state, setState] = useState(site.state);
  const [postalCode, setPostalCode] = useState(site.postalCode);
  const [placeOfService, setPlaceOfService] = useState(site.placeOfService);
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { addressLine, city, state, postalCode, placeOfService };
    if (await run(() => api.PUT('/api/settings/sites/{id}', { params: { path: { id: site.id } }, body }))) onClose();
  };
  return (
    <Dialog title={`Where ${site.name} is`} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Small>Leave the address empty where it lies at the clinic’s own.</Small>
        <Field name="addressLine" label="Address" value={addressLine} onChange={setAddressLine} autoFocus />
        <Row $gap={2}>
          <Field name="city" label="City" value={city} onChange={setCity} />
          <Field name="state" label="State" value={state} onChange={setState} />
          <Field name="postalCode" label="Postal code" value={postalCode} onChange={setPostalCode} />
        </Row>
        <Field
          name="placeOfService"
          label="Place of service on claims"
          value={placeOfService}
          onChange={setPlaceOfService}
        />
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Save
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

const steps = [
  ['←', 'left', -1, 0],
  ['→', 'right', 1, 0],
  ['↑', 'up', 0, -1],
  ['↓', 'down', 0, 1],
] as const;

function Site({ site }: { site: Schemas['Site'] }) {
  const { clinic } = useSession();
  const may = useMay();
  const [open, setOpen] = useState<{ room: Room; isNew: boolean } | null>(null);
  const [place, setPlace] = useState(false);
  const { run, busy } = useDo();
  const rooms = clinic.rooms.filter((r) => r.siteId === site.id && r.active);
  const wide = Math.max(3, ...rooms.map((r) => r.placeX + 1)) + 1;
  const high = Math.max(1, ...rooms.map((r) => r.placeY + 1)) + 1;
  // Where another room lies, the two change places.
  const put = (room: Room, placeX: number, placeY: number) =>
    void run(() =>
      api.PUT('/api/settings/rooms/{id}', { params: { path: { id: room.id } }, body: { ...room, placeX, placeY } }),
    );
  return (
    <Stack $gap={2}>
      <Row>
        <h3>{site.name}</h3>
        <Small data-site-address={site.name}>
          {site.addressLine
            ? `${site.addressLine}, ${site.city}, ${site.state} ${site.postalCode}`
            : 'at the clinic’s own address'}
        </Small>
        {may('set_clinic') && (
          <Button $kind="quiet" aria-label={`Change where ${site.name} is`} onPress={() => setPlace(true)}>
            Change
          </Button>
        )}
      </Row>
      {place && <SiteDialog site={site} onClose={() => setPlace(false)} />}
      <div style={{ display: 'grid', gridTemplateColumns: `repeat(${wide}, minmax(0, 1fr))`, gap: space(2) }}>
        {rooms.map((r) => (
          <div
            key={r.id}
            data-place={r.name}
            style={{
              gridColumn: r.placeX + 1,
              gridRow: r.placeY + 1,
              background: color.well,
              borderRadius: corner,
              padding: space(3),
            }}
          >
            <Stack $gap={1}>
              <b>{r.name}</b>
              <Small>{clinic.looks.roomKinds.find((k) => k.id === r.kind)?.label}</Small>
              {may('set_clinic') && (
                <Row $gap={1}>
                  {steps.map(([sign, word, dx, dy]) => (
                    <Button
                      key={word}
                      $kind="quiet"
                      aria-label={`${r.name} ${word}`}
                      isDisabled={
                        busy || r.placeX + dx < 0 || r.placeY + dy < 0 || r.placeX + dx > 11 || r.placeY + dy > 11
                      }
                      onPress={() => put(r, r.placeX + dx, r.placeY + dy)}
                    >
                      {sign}
                    </Button>
                  ))}
                  <Button
                    $kind="quiet"
                    aria-label={`Change ${r.name}`}
                    onPress={() => setOpen({ room: r, isNew: false })}
                  >
                    Change
                  </Button>
                </Row>
              )}
            </Stack>
          </div>
        ))}
      </div>
      {may('set_clinic') && (
        <Row>
          <Button
            onPress={() =>
              setOpen({
                isNew: true,
                room: {
                  id: crypto.randomUUID(),
                  siteId: site.id,
                  name: '',
                  kind: 'exam',
                  sort: 0,
                  placeX: 0,
                  placeY: Math.min(11, high - 1),
                  active: true,
                },
              })
            }
          >
            New room at {site.name}
          </Button>
        </Row>
      )}
      {open && <RoomDialog room={open.room} isNew={open.isNew} onClose={() => setOpen(null)} />}
    </Stack>
  );
}

export function House() {
  const { clinic } = useSession();
  const may = useMay();
  const t = clinic.thresholds;
  const [long, setLong] = useState(String(t.waitLong));
  const [tooLong, setTooLong] = useState(String(t.waitTooLong));
  const [late, setLate] = useState(String(t.lateAfter));
  const [gone, setGone] = useState(String(t.didNotComeAfter));
  const [critical, setCritical] = useState(String(t.criticalAfter));
  const { run, busy, refusal } = useDo();
  const [saved, setSaved] = useState(false);
  const save = async () => {
    const body = {
      waitLong: Number(long) || 0,
      waitTooLong: Number(tooLong) || 0,
      lateAfter: Number(late) || 0,
      didNotComeAfter: Number(gone) || 0,
      criticalAfter: Number(critical) || 0,
    };
    if (await run(() => api.PUT('/api/settings/thresholds', { body }))) setSaved(true);
  };
  return (
    <>
      <Sheet>
        <h2>Rooms</h2>
        <Stack>
          {clinic.sites.map((s) => (
            <Site key={s.id} site={s} />
          ))}
        </Stack>
      </Sheet>
      <OwnStages />
      <Sheet>
        <h2>Thresholds of the day, in minutes</h2>
        <Form refusal={refusal} onSave={save}>
          <Columns $min={part.wideField}>
            <Field name="waitLong" label="Waiting is long after" value={long} onChange={setLong} />
            <Field name="waitTooLong" label="Waiting is too long after" value={tooLong} onChange={setTooLong} />
            <Field name="lateAfter" label="Late after" value={late} onChange={setLate} />
            <Field name="didNotComeAfter" label="Did not come after" value={gone} onChange={setGone} />
            <Field
              name="criticalAfter"
              label="A critical result goes to the next clinician after"
              value={critical}
              onChange={setCritical}
            />
          </Columns>
          <Refused />
          {may('set_clinic') && (
            <Row>
              {saved && <Small role="status">Saved.</Small>}
              <Spread />
              <Button type="submit" isDisabled={busy}>
                Save the thresholds
              </Button>
            </Row>
          )}
        </Form>
      </Sheet>
    </>
  );
}
