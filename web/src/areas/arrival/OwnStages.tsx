/** Stages of the clinic's own between the fixed ones: what, after which, where, in which order. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Small, Tag } from '../../ui/layout';
import { Changeable, SaveRow } from '../house/Changeable';

type Stage = Schemas['OwnStage'];

const word = (list: { id: string; label: string }[], id: string) => list.find((x) => x.id === id)?.label ?? id;

export function OwnStages() {
  const { clinic } = useSession();
  const { ownStageFollows: follows, ownStagePlaces: places } = clinic.looks;
  const may = useMay();
  const { run, busy } = useDo();
  const list = clinic.ownStages;
  const put = (id: string, to: number) =>
    void run(() => api.POST('/api/settings/own-stages/{id}/place', { params: { path: { id } }, body: { to } }));
  return (
    <Changeable
      title="Stages of your own"
      create="New stage"
      empty="None. A blood draw before the clinician, or a watch after a vaccine, can be one."
      items={list}
      nameOf={(s) => s.name}
      cells={(s) => {
        const at = list.findIndex((x) => x.id === s.id);
        return (
          <>
            <td>
              {s.name} {!s.walked && <Tag>only chosen</Tag>}
            </td>
            <td>
              <Small>
                after {word(follows, s.afterStage).toLowerCase()}, {word(places, s.place).toLowerCase()}
              </Small>
            </td>
            <td>
              {may('set_clinic') && list.length > 1 && (
                <Row $gap={1}>
                  <Button
                    $kind="quiet"
                    isDisabled={busy || at === 0}
                    aria-label={`${s.name} earlier`}
                    onPress={() => put(s.id, at - 1)}
                  >
                    ↑
                  </Button>
                  <Button
                    $kind="quiet"
                    isDisabled={busy || at === list.length - 1}
                    aria-label={`${s.name} later`}
                    onPress={() => put(s.id, at + 1)}
                  >
                    ↓
                  </Button>
                </Row>
              )}
            </td>
          </>
        );
      }}
      dialog={(old, onClose) => <StageDialog old={old} onClose={onClose} />}
    />
  );
}

function StageDialog({ old, onClose }: { old: Stage | null; onClose: () => void }) {
  const { ownStageFollows: follows, ownStagePlaces: places } = useSession().clinic.looks;
  const [id] = useState(old?.id ?? crypto.randomUUID());
  const [name, setName] = useState(old?.name ?? '');
  const [after, setAfter] = useState<string>(old?.afterStage ?? 'in_room');
  const [place, setPlace] = useState<string>(old?.place ?? 'room');
  const [walked, setWalked] = useState(old?.walked ?? false);
  const { run, busy, refusal } = useDo();
  const save = async (active: boolean) => {
    const body = { name, afterStage: after, place, walked, active };
    if (await run(() => api.PUT('/api/settings/own-stages/{id}', { params: { path: { id } }, body }))) onClose();
  };
  return (
    <Dialog title={old ? `Change ${old.name}` : 'New stage'} open onClose={onClose}>
      <Form refusal={refusal}>
        <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
        <Choose label="It follows" value={after} onChange={setAfter} choices={follows} />
        <Choose label="Where" value={place} onChange={setPlace} choices={places} />
        <Check label="Everybody passes it on the way" value={walked} onChange={setWalked} />
        <Refused />
        <SaveRow what="stage" old={old !== null} busy={busy} save={(active) => void save(active)} />
      </Form>
    </Dialog>
  );
}
