import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Several, weekdayChoices, weekdays } from '../../ui/choices';
import { Button, Check, Field } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { limits } from './queries';

/** When and where the person can come at all; a rebooking plan never goes against it. */
export function Limits({ personId }: { personId: string }) {
  const { clinic } = useSession();
  const choices = useChoices();
  const may = useMay();
  const [open, setOpen] = useState<Schemas['PersonLimits'] | null>(null);
  const look = useLook(limits(personId));
  const { run, busy, refusal } = useDo();
  const l = look.data;
  if (!l) return null;
  const days = l.weekdays.map((n) => weekdays[n - 1]).join(', ');
  const sites = l.siteIds.map((id) => clinic.sites.find((s) => s.id === id)?.name).join(', ');
  const words = [days && `only ${days}`, sites && `only at ${sites}`, !l.sameClinician && 'any clinician', l.note];
  if (!open)
    return (
      <Row data-limits>
        <Small>
          Can come: {words.filter(Boolean).join('; ') || 'any day, any site, the same clinician if possible'}
        </Small>
        {may('book') && (
          <Button $kind="quiet" onPress={() => setOpen(l)}>
            Change when they can come
          </Button>
        )}
      </Row>
    );
  const save = async () => {
    const { siteIds, weekdays: on, sameClinician, note } = open;
    const body = { siteIds, weekdays: on, sameClinician, note };
    if (await run(() => api.PUT('/api/people/{id}/limits', { params: { path: { id: personId } }, body })))
      setOpen(null);
  };
  return (
    <Stack $gap={2}>
      <Small>Nothing chosen means any.</Small>
      <Several
        label="Weekdays"
        choices={weekdayChoices.slice(0, 6)}
        value={open.weekdays}
        onChange={(on) => setOpen({ ...open, weekdays: on })}
      />
      <Several
        label="Sites"
        choices={choices.sites}
        value={open.siteIds}
        onChange={(siteIds) => setOpen({ ...open, siteIds })}
      />
      <Check
        label="Wants the same clinician"
        value={open.sameClinician}
        onChange={(sameClinician) => setOpen({ ...open, sameClinician })}
      />
      <Field label="Note" value={open.note} onChange={(note) => setOpen({ ...open, note })} placeholder="the bus" />
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      <Row>
        <Spread />
        <Button onPress={() => setOpen(null)}>Leave it</Button>
        <Button isDisabled={busy} onPress={() => void save()}>
          Save when they can come
        </Button>
      </Row>
    </Stack>
  );
}
