/** Giving a visit another time on the board: taken up, laid down, taken back; and what is said about it. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useForgetUndo, useUndo } from '../../app/undo';
import { useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Spread } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { AskFirst, everyDoubt, offeredBy, useMeant, useSlotWords } from './AskFirst';
import type { Card, Slot } from './LaneCards';
import { visit } from '../visit_line/queries';

/** `id` is the visit that is being moved; `onDone` is called when it has its new time, or was refused one. */
export function useMoving(id: string | null, onDone: () => void) {
  const { setInHand } = useSession();
  const { run, refusal, forget } = useDo();
  const offerUndo = useUndo();
  const forgetUndo = useForgetUndo();
  const identity = useIdentity();
  const times = useTimes();
  const [asked, setAsked] = useState<{ visit: Card; to: Slot } | null>(null);
  const takenUp = useLook(visit(id ?? ''), id !== null);
  const post = (visit: Card, place: Schemas['NewTimeForm']) =>
    api.POST('/api/visits/{id}/move', { params: { path: { id: visit.visit.id } }, body: place });
  const send = (visit: Card, place: Schemas['NewTimeForm']) => run(() => post(visit, place));
  const move = async (visit: Card, to: Slot, meant: Schemas['Doubt'][] = []) => {
    forgetUndo();
    const done = await send(visit, { slotId: to.id, meant });
    setAsked(done ? null : { visit, to });
    onDone();
    if (!done) return;
    setInHand({ visit: visit.visit.id });
    // Back to exactly where and how it was.
    const { slotId, startsAt, endsAt, extra } = visit.visit;
    const minutes = (new Date(endsAt).getTime() - new Date(startsAt).getTime()) / 60000;
    const said = `${identity(visit.person, visit.visit.callSign)} moved from ${times.day(startsAt)} ${times.time(startsAt)}.`;
    if (slotId) offerUndo(said, () => post(visit, { slotId, minutes, extra, meant: everyDoubt }));
  };
  const moving = (id !== null && takenUp.data?.card) || null;
  return { moving, asked, move, run, refusal, forget };
}

type Moving = ReturnType<typeof useMoving>;

/** What is being moved, and why something was not; `error` comes from looking. */
export function MovingNotices({ of: m, error, onLeave }: { of: Moving; error: Error | null; onLeave: () => void }) {
  const times = useTimes();
  const identity = useIdentity();
  const { moving, asked, refusal } = m;
  const told = error ?? refusal;
  const { also } = useMeant();
  const slotWords = useSlotWords();
  const when = (iso: string) => `${times.day(iso)} ${times.time(iso)}`;
  return (
    <>
      {moving && (
        <Notice $tone="tide" role="status" style={{ marginTop: space(2) }}>
          <Row>
            <span>
              Moving <strong>{identity(moving.person, moving.visit.callSign)}</strong>, {when(moving.visit.startsAt)}:
              choose the new time. Esc leaves it where it is.
            </span>
            <Spread />
            <Button onPress={onLeave}>Leave it</Button>
          </Row>
        </Notice>
      )}
      {told && (
        <Notice $tone="coral" role="alert" style={{ marginTop: space(2) }}>
          <Row>
            <span>{told.message}</span>
            <Spread />
            {asked && (
              <AskFirst
                refusal={refusal}
                what="Move it all the same"
                onMeant={() => void m.move(asked.visit, asked.to, also(refusal))}
              />
            )}
            {asked &&
              offeredBy(refusal).map((s) => (
                <Button key={s.id} onPress={() => void m.move(asked.visit, s)}>
                  {slotWords(s)}
                </Button>
              ))}
            {refusal && <Button onPress={() => m.forget()}>Close</Button>}
          </Row>
        </Notice>
      )}
    </>
  );
}
