import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Several } from '../../ui/choices';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Spread } from '../../ui/layout';
import { groups } from './queries';

type Group = Schemas['ClinicianGroup'];

export const useGroups = (wanted: boolean) => useLook(groups(), wanted).data ?? [];

/** Whose columns are shown: everybody's, one group's, or one clinician's. */
export function WhoPick(p: { groups: Group[]; value: string; onChange: (id: string) => void }) {
  const { clinicians } = useChoices();
  return (
    <Pick
      label="Whose columns"
      hideLabel
      value={p.value}
      onChange={p.onChange}
      choices={[
        { id: 'all', label: 'Everybody' },
        ...p.groups.map((g) => ({ id: g.id, label: g.name })),
        ...clinicians,
      ]}
    />
  );
}

/** Makes a group, or takes one away; one's own or the clinic's. */
export function GroupsDialog({ groups, onClose }: { groups: Group[]; onClose: () => void }) {
  const { clinic } = useSession();
  const may = useMay();
  const [name, setName] = useState('');
  const [members, setMembers] = useState<string[]>([]);
  const [whose, setWhose] = useState('mine');
  const { lastNames } = useChoices();
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { name, members, forClinic: whose === 'clinic' };
    if (await run(() => api.POST('/api/groups', { body }))) onClose();
  };
  return (
    <Dialog title="Groups of clinicians" open onClose={onClose}>
      <Form refusal={refusal}>
        {groups.map((g) => (
          <Row key={g.id}>
            <strong>{g.name}</strong>
            <span>
              {clinic.staff
                .filter((s) => g.members.includes(s.id))
                .map((s) => s.lastName)
                .join(', ')}
            </span>
            <Spread />
            {(g.ownerId != null || may('set_clinic')) && (
              <Button
                $kind="quiet"
                isDisabled={busy}
                aria-label={`Remove ${g.name}`}
                onPress={() => void run(() => api.DELETE('/api/groups/{id}', { params: { path: { id: g.id } } }))}
              >
                Remove
              </Button>
            )}
          </Row>
        ))}
        <Field name="name" label="New group" value={name} onChange={setName} />
        <Several label="Who is in it" choices={lastNames} value={members} onChange={setMembers} />
        {may('set_clinic') && (
          <Choose
            label="Who sees it"
            value={whose}
            onChange={setWhose}
            choices={[
              { id: 'mine', label: 'Only I' },
              { id: 'clinic', label: 'The whole clinic' },
            ]}
          />
        )}
        <Refused />
        <Row>
          <Spread />
          <Button onPress={onClose}>Close</Button>
          <Button $kind="filled" isDisabled={busy} onPress={() => void save()}>
            Save the group
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
