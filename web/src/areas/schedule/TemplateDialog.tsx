import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useSession } from '../../app/session';
import { Several, weekdayChoices, weekdays } from '../../ui/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Notice, Row, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { runForms, ShiftSlots, type TypedRun } from './ShiftSlots';

type Template = Schemas['WholeTemplate'];
type Report = Schemas['SupplyReport'];

export const clock = (minute: number) => `${Math.floor(minute / 60)}:${String(minute % 60).padStart(2, '0')}`;

/** What a new shift begins from, or the template that is changed. */
export type Start = { template?: Template; oneOff?: boolean; clinicianId?: string; weekday?: number };

const typed = (t: Template | undefined, usual: string): TypedRun[] =>
  t?.runs.map((r) => ({
    count: String(r.count),
    minutes: String(r.minutes),
    type: r.visitTypeId ?? 'held',
    words: r.heldFor ?? r.clinic,
  })) ?? [{ count: '12', minutes: '20', type: usual, words: '' }];

/** A weekly template: a new one, or one that is changed from a day on; or a shift of one day only. */
export function TemplateDialog(p: { start: Start; onClose: () => void; onDone: (report: Report | null) => void }) {
  const { clinic } = useSession();
  const old = p.start.template;
  const oneOff = p.start.oneOff ?? false;
  const { clinicians, sites, types } = useChoices();
  const usual = types[0]?.id ?? 'held';
  const [who, setWho] = useState(old?.clinicianId ?? p.start.clinicianId ?? clinicians[0]?.id ?? '');
  const [site, setSite] = useState(old?.siteId ?? sites[0]?.id ?? '');
  const [days, setDays] = useState<number[]>(old ? [old.weekday] : p.start.weekday ? [p.start.weekday] : []);
  const [from, setFrom] = useState(old ? clock(old.fromMinute) : '8:00');
  const [to, setTo] = useState(old ? clock(old.toMinute) : '12:00');
  const [weeks, setWeeks] = useState(String(old?.everyWeeks ?? 1));
  const [begins, setBegins] = useState(oneOff ? '' : '+1w');
  const [ends, setEnds] = useState(old?.endsOn ?? '');
  const [runs, setRuns] = useState<TypedRun[]>(typed(old, usual));
  const [last, setLast] = useState('');
  const { run, busy, refusal } = useDo();
  const shift = { clinicianId: who, siteId: site, from, to, runs: runForms(runs) };
  const save = async () => {
    if (oneOff) {
      if (await run(() => api.POST('/api/supply/shifts', { body: { ...shift, day: begins } }))) p.onDone(null);
      return;
    }
    const body = {
      ...shift,
      weekdays: days,
      everyWeeks: Number(weeks) || 0,
      begins,
      ends,
      version: old?.version ?? null,
    };
    const report = await run(() =>
      old
        ? api.PUT('/api/supply/templates/{id}', { params: { path: { id: old.id } }, body })
        : api.POST('/api/supply/templates', { body }),
    );
    if (report) p.onDone(report);
  };
  const end = async () => {
    if (!old) return;
    const body = { last, version: old.version };
    const report = await run(() =>
      api.POST('/api/supply/templates/{id}/end', { params: { path: { id: old.id } }, body }),
    );
    if (report) p.onDone(report);
  };
  const title = oneOff ? 'A shift on one day' : old ? 'Change working time' : 'New working time';
  return (
    <Dialog title={title} open onClose={p.onClose} wide>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.wideField}>
          {old ? (
            <div>
              <Small>Clinician</Small>
              <br />
              {clinic.staff.find((s) => s.id === who)?.name}, {weekdays[old.weekday - 1]}
            </div>
          ) : (
            <Pick label="Clinician" value={who} onChange={setWho} choices={clinicians} />
          )}
          <Pick label="Site" value={site} onChange={setSite} choices={sites} />
        </Columns>
        {!old && !oneOff && <Several label="Weekdays" choices={weekdayChoices} value={days} onChange={setDays} />}
        {refusal?.fault('weekdays') && <Notice $tone="coral">{refusal.fault('weekdays')}</Notice>}
        <Columns $min={part.count}>
          <Field name="from" label="From" value={from} onChange={setFrom} />
          <Field name="to" label="To" value={to} onChange={setTo} />
          {!oneOff && <Field label="Every … weeks" value={weeks} onChange={setWeeks} />}
          <Field
            label={oneOff ? 'Day' : old ? 'Changed from' : 'Holds from'}
            value={begins}
            onChange={setBegins}
            placeholder="mon, +2w, 4 jan"
            fault={refusal?.fault('begins') ?? refusal?.fault('day')}
          />
          {!oneOff && <Field name="ends" label="Until" value={ends} onChange={setEnds} placeholder="for good" />}
        </Columns>
        <ShiftSlots
          runs={runs}
          onChange={setRuns}
          fault={refusal?.fault('runs') ?? refusal?.fault('heldFor') ?? refusal?.fault('clinic')}
        />
        <Refused />
        {old && <Small>Who is booked keeps the time; what could not be changed is listed afterwards.</Small>}
        <Row $align="end">
          {old && (
            <>
              <div style={{ width: part.field }}>
                <Field name="last" label="Or end it with" value={last} onChange={setLast} placeholder="31 dec" />
              </div>
              <Button $kind="stop" isDisabled={busy || last === ''} onPress={() => void end()}>
                End it
              </Button>
            </>
          )}
          <Spread />
          <Button onPress={p.onClose}>Leave</Button>
          <Button $kind="filled" type="submit" isDisabled={busy}>
            {old ? 'Change it from that day' : oneOff ? 'Make the shift' : 'Make working time'}
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
