import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useSession } from '../../app/session';
import { Several, weekdayChoices, weekdays } from '../../ui/choices';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Changeable } from '../house/Changeable';
import { clock } from './TemplateDialog';

type List = Schemas['UntimedList'];

/** Lists without times: who works them, on which days, and how many they take. */
export function UntimedLists() {
  const { clinic } = useSession();
  return (
    <Changeable
      title="Lists without times"
      create="New list"
      empty="None. Home visits and walk-ins can be kept on one."
      items={clinic.untimedLists}
      nameOf={(l) => l.name}
      cells={(l) => (
        <>
          <td>{l.name}</td>
          <td>{clinic.staff.find((s) => s.id === l.clinicianId)?.name}</td>
          <td>
            <Small>
              {l.weekdays.map((n) => weekdays[n - 1]).join(', ')}, {clock(l.fromMinute)} to {clock(l.toMinute)}, up to{' '}
              {l.most}
            </Small>
          </td>
        </>
      )}
      dialog={(old, onClose) => <ListDialog old={old} onClose={onClose} />}
    />
  );
}

function ListDialog({ old, onClose }: { old: List | null; onClose: () => void }) {
  const { clinicians, sites, types } = useChoices();
  const [id] = useState(old?.id ?? crypto.randomUUID());
  const [name, setName] = useState(old?.name ?? '');
  const [kind, setKind] = useState<string>(old?.kind ?? 'home');
  const [who, setWho] = useState(old?.clinicianId ?? clinicians[0]?.id ?? '');
  const [site, setSite] = useState(old?.siteId ?? sites[0]?.id ?? '');
  const [type, setType] = useState(old?.visitTypeId ?? types[0]?.id ?? '');
  const [days, setDays] = useState<number[]>(old?.weekdays ?? [1, 2, 3, 4, 5]);
  const [from, setFrom] = useState(old ? clock(old.fromMinute) : '8:00');
  const [to, setTo] = useState(old ? clock(old.toMinute) : '12:00');
  const [most, setMost] = useState(String(old?.most ?? 8));
  const { run, busy, refusal } = useDo();
  const save = async (active: boolean) => {
    const body = {
      name,
      kind,
      clinicianId: who,
      siteId: site,
      visitTypeId: type,
      weekdays: days,
      from,
      to,
      most: Number(most) || 0,
      active,
    };
    if (await run(() => api.PUT('/api/lists/{id}', { params: { path: { id } }, body }))) onClose();
  };
  return (
    <Dialog title={old ? `Change ${old.name}` : 'New list without times'} open onClose={onClose}>
      <Form refusal={refusal}>
        <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
        <Choose
          label="What it is"
          value={kind}
          onChange={setKind}
          choices={[
            { id: 'home', label: 'Home visits, in the order of the round' },
            { id: 'walk_in', label: 'Walk-ins, in the order of arrival' },
          ]}
        />
        <Columns $min={part.wideField}>
          <Pick label="Worked by" value={who} onChange={setWho} choices={clinicians} />
          <Pick label="Site" value={site} onChange={setSite} choices={sites} />
          <Pick label="Visit type" value={type} onChange={setType} choices={types} />
          <Field name="from" label="From" value={from} onChange={setFrom} />
          <Field name="to" label="To" value={to} onChange={setTo} />
          <Field name="most" label="So many a day" value={most} onChange={setMost} />
        </Columns>
        <Several label="Weekdays" choices={weekdayChoices} value={days} onChange={setDays} />
        <Refused />
        <Row>
          {old && (
            <Button $kind="stop" isDisabled={busy} onPress={() => void save(false)}>
              Use it no more
            </Button>
          )}
          <Spread />
          <Button onPress={onClose}>Leave</Button>
          <Button $kind="filled" isDisabled={busy} onPress={() => void save(true)}>
            Save the list
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
