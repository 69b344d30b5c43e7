/** The lists without times of a day, above the board: who is on them in order, and room for one more. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { forget, useKept } from '../../app/kept';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { color, hair, innerCorner, ring, size, space } from '../../ui/tokens';
import { ForPerson } from '../people/ForPerson';

type List = Schemas['UntimedList'];

const Strip = styled.div`
  display: flex;
  align-items: center;
  gap: ${space(2)};
  flex-wrap: wrap;
  white-space: nowrap;
  font-size: ${size.small};
`;

/** Beside each other while there is room. */
const Lists = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 0 ${space(6)};
  margin-top: ${space(1)};
`;

const Entry = styled.button`
  padding: ${space(0.5)} ${space(2)};
  border: ${hair};
  border-radius: ${innerCorner};
  background: ${color.sheet};
  cursor: pointer;
  &[data-selected='true'] {
    outline: ${ring};
  }
`;

export function Untimed({ day }: { day: Schemas['DayView'] }) {
  const { clinic, inHand, setInHand } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const [adding, setAdding] = useState<List | null>(null);
  const { run, busy } = useDo();
  const put = (visit: string, to: number) =>
    run(() => api.POST('/api/visits/{id}/list-place', { params: { path: { id: visit } }, body: { to } }));
  return (
    <Lists>
      {day.lists.map(({ list: l, visitIds, takesMore }) => {
        const entries = visitIds.flatMap((id) => day.visits.find((v) => v.visit.id === id) ?? []);
        const at = entries.findIndex((v) => inHand !== null && 'visit' in inHand && inHand.visit === v.visit.id);
        const chosen = entries[at];
        return (
          <Strip key={l.id} role="group" aria-label={`${l.name} of the day`} data-list={l.name}>
            <strong>{l.name}</strong>
            <Small>
              {clinic.staff.find((s) => s.id === l.clinicianId)?.lastName}, {entries.length} of {l.most}
            </Small>
            {entries.map((v, n) => (
              <Entry
                key={v.visit.id}
                data-selected={n === at}
                onClick={() => setInHand({ visit: v.visit.id })}
                title={[v.visit.reason, v.visit.bookingNote].filter(Boolean).join('\n')}
              >
                {n + 1} {identity(v.person, v.visit.callSign)}
                {v.visit.stage !== 'booked' && ` · ${v.stage}`}
                {['here', 'checked_in'].includes(v.visit.stage) && ` ${times.since(v.visit.stageAt)}`}
              </Entry>
            ))}
            {chosen && may('book') && entries.length > 1 && (
              <>
                <Button
                  $kind="quiet"
                  isDisabled={busy || at === 0}
                  aria-label={`Earlier on ${l.name}`}
                  onPress={() => void put(chosen.visit.id, at - 1)}
                >
                  ‹
                </Button>
                <Button
                  $kind="quiet"
                  isDisabled={busy || at === entries.length - 1}
                  aria-label={`Later on ${l.name}`}
                  onPress={() => void put(chosen.visit.id, at + 1)}
                >
                  ›
                </Button>
              </>
            )}
            {may('book') && takesMore && (
              <Button $kind="quiet" onPress={() => setAdding(l)} aria-label={`Add to ${l.name}`}>
                Add
              </Button>
            )}
          </Strip>
        );
      })}
      {adding && <Enter list={adding} day={day.day} onClose={() => setAdding(null)} />}
    </Lists>
  );
}

function Enter({ list, day, onClose }: { list: List; day: string; onClose: () => void }) {
  const { setInHand } = useSession();
  const times = useTimes();
  const place = `list/${list.id}/${day}`;
  const [reason, setReason] = useKept(place, 'reason', '');
  const [note, setNote] = useKept(place, 'note', '');
  const { run, busy, refusal } = useDo();
  const enter = async (person: Schemas['PersonCard']) => {
    const body = { personId: person.id, day, reason, note };
    const visit = await run(() => api.POST('/api/lists/{id}/entries', { params: { path: { id: list.id } }, body }));
    if (!visit) return;
    forget(place);
    setInHand({ visit: visit.id });
    onClose();
  };
  return (
    <Dialog kept title={`${list.name}, ${times.day(`${day}T17:00:00Z`)}`} open onClose={onClose}>
      <Stack $gap={4}>
        <ForPerson place={place}>
          {(person) => (
            <Form refusal={refusal} onSave={() => void enter(person)}>
              <Field name="reason" label="Reason" value={reason} onChange={setReason} autoFocus />
              <Field name="note" label="Note for the clinic" value={note} onChange={setNote} />
              {list.kind === 'home' && <Small>They are visited at: {person.address || 'no address on file'}</Small>}
              <Refused />
              <Row>
                <Spread />
                <Button onPress={onClose}>Leave</Button>
                <Button $kind="filled" type="submit" isDisabled={busy}>
                  {list.kind === 'home' ? 'Put on the round' : 'They are here'}
                </Button>
              </Row>
            </Form>
          )}
        </ForPerson>
      </Stack>
    </Dialog>
  );
}
