/** Moving people through the building: by menu, by drag, into a room, to a stage of the clinic's own. */

import type { DragEvent } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useWordOf } from '../../app/choices';
import { useUndo } from '../../app/undo';
import { useIdentity } from '../../app/words';
import { Menu } from '../../ui/choices';

export type Present = Schemas['Present'];

export const tones: Record<string, 'coral' | 'brass' | 'plain'> = { too_long: 'coral', long: 'brass', fine: 'plain' };

export interface Moves {
  busy: boolean;
  refusal: ReturnType<typeof useDo>['refusal'];
  /** Moves a visit; answers whether it was moved. */
  go: (visit: string, to: string, where?: { roomId?: string; ownStageId?: string }) => Promise<boolean>;
  /** What makes a card draggable, for whoever may move patients. */
  drag: (p: Present) => object;
  /** What takes a dragged card. */
  drop: (place: string, onDrop: (visit: string) => void) => object;
  menu: (p: Present) => React.ReactNode;
}

export function useMoves(p: { onRoom: (present: Present) => void; setOver: (place: string | null) => void }): Moves {
  const { clinic } = useSession();
  const identity = useIdentity();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const stageWord = useWordOf('stages');
  const go: Moves['go'] = async (visit, to, where) => {
    const body = { to, roomId: where?.roomId ?? null, ownStageId: where?.ownStageId ?? null };
    const params = { path: { id: visit } };
    const moved = await run(() => api.POST('/api/visits/{id}/stage', { params, body }));
    if (moved && to !== 'back')
      offerUndo(`Moved: ${stageWord(moved.stage).toLowerCase()}.`, () =>
        api.POST('/api/visits/{id}/stage', { params, body: { to: 'back', byKey: true } }),
      );
    return moved != null;
  };
  const drag = (present: Present) =>
    may('move_patients')
      ? {
          draggable: true,
          onDragStart: (event: DragEvent) => event.dataTransfer.setData('text/plain', present.card.visit.id),
        }
      : {};
  const drop = (place: string, onDrop: (visit: string) => void) => ({
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      p.setOver(place);
    },
    onDragLeave: () => p.setOver(null),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      p.setOver(null);
      const visit = event.dataTransfer.getData('text/plain');
      if (visit) onDrop(visit);
    },
  });
  const menu = (present: Present) => {
    const { id, stage, ownStageId, callSign } = present.card.visit;
    const own = clinic.ownStages.filter((o) => o.afterStage === stage && o.id !== ownStageId);
    return (
      may('move_patients') && (
        <Menu
          short
          label={`More for ${identity(present.card.person, callSign)}`}
          items={[
            { id: 'next', label: 'On to the next stage', onChoose: () => void go(id, 'next') },
            { id: 'back', label: 'Take the last move back', onChoose: () => void go(id, 'back') },
            ...own.map((o) => ({
              id: o.id,
              label: o.name,
              onChoose: () => void go(id, stage, { ownStageId: o.id }),
            })),
            { id: 'room', label: 'Choose a room', onChoose: () => p.onRoom(present) },
            { id: 'ready', label: 'Ready to leave', onChoose: () => void go(id, 'ready_to_leave') },
            { id: 'unseen', label: 'Left without being seen', onChoose: () => void go(id, 'left_unseen') },
          ]}
        />
      )
    );
  };
  return { busy, refusal, go, drag, drop, menu };
}
