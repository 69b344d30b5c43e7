import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useTimes } from '../../app/words';
import { PickSeveral, Several, weekdayChoices } from '../../ui/choices';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Row, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';

/** What somebody wants of a time, as far as it is known already. */
export interface Wanted {
  visitType?: string | undefined;
  clinicians?: string[];
  sites?: string[];
  days?: number[];
  after?: string;
  before?: string;
}

/** Puts somebody on the waiting list: for an earlier time than the visit that they have, or for a first one. */
export function WantTime(p: {
  personId: string;
  /** The visit that they have and would give up. */
  visit?: Schemas['Visit'] | undefined;
  wanted?: Wanted;
  onClose: () => void;
}) {
  const { visit, wanted = {} } = p;
  const times = useTimes();
  const { clinicians, sites, types } = useChoices();
  const [form, setForm] = useState({
    visitType: wanted.visitType ?? null,
    clinicians: wanted.clinicians ?? [],
    sites: wanted.sites ?? [],
    days: wanted.days ?? [],
    after: wanted.after ?? '',
    before: wanted.before ?? '',
    notBefore: '',
    urgent: false,
    note: '',
  });
  const change = (next: Partial<typeof form>) => setForm({ ...form, ...next });
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const { clinicians: clinicianIds, sites: siteIds, days: weekdays, visitType, ...rest } = form;
    const about = visit ? { visitId: visit.id } : { visitTypeId: visitType };
    const body = { personId: p.personId, ...about, clinicianIds, siteIds, weekdays, ...rest };
    if (await run(() => api.POST('/api/waiting', { body }))) p.onClose();
  };
  const title = visit
    ? `Earlier than ${times.day(visit.startsAt)} ${times.time(visit.startsAt)}`
    : 'Waiting for a time';
  return (
    <Dialog title={title} open onClose={p.onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.wideField}>
          {!visit && (
            <Pick
              name="visitTypeId"
              label="Visit type"
              value={form.visitType}
              onChange={(visitType) => change({ visitType })}
              choices={types}
            />
          )}
          <PickSeveral
            label="With"
            none="Anybody"
            value={form.clinicians}
            onChange={(chosen) => change({ clinicians: chosen })}
            choices={clinicians}
          />
          <PickSeveral
            label="At"
            none="Any site"
            value={form.sites}
            onChange={(chosen) => change({ sites: chosen })}
            choices={sites}
          />
          <Field
            name="after"
            label="Not before"
            value={form.after}
            onChange={(after) => change({ after })}
            placeholder="9:00"
          />
          <Field
            name="before"
            label="Before"
            value={form.before}
            onChange={(before) => change({ before })}
            placeholder="16:00"
          />
          <Field
            name="notBefore"
            label="From the day"
            value={form.notBefore}
            onChange={(notBefore) => change({ notBefore })}
            placeholder="+2w"
          />
        </Columns>
        <Several
          label="Weekdays"
          choices={weekdayChoices.slice(0, 6)}
          value={form.days}
          onChange={(days) => change({ days })}
        />
        <Check label="It cannot wait" value={form.urgent} onChange={(urgent) => change({ urgent })} />
        <Field
          label="Note"
          value={form.note}
          onChange={(note) => change({ note })}
          placeholder="call after four"
          autoFocus
        />
        <Refused />
        <Row>
          <Spread />
          <Button onPress={p.onClose}>Leave</Button>
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Put on the waiting list
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
