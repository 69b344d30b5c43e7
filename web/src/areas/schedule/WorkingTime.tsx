/** Who works when: a week of everybody, the days that are not as the week says, and what is made from both. */

import { Form, Refused } from '../../ui/Form';
import { Unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import { Link } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { typedSince } from '../../app/typedSince';
import { plainDate, useTimes } from '../../app/words';
import { weekdays } from '../../ui/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table } from '../../ui/layout';
import { color, hair, innerCorner, part, size, space } from '../../ui/tokens';
import { clock, type Start, TemplateDialog } from './TemplateDialog';
import { supply } from './queries';

type Report = Schemas['SupplyReport'];

/** A shift in the week of everybody. */
const Bar = styled.button`
  display: block;
  width: 100%;
  margin-bottom: ${space(1)};
  padding: ${space(1)} ${space(1.5)};
  text-align: left;
  border: ${hair};
  border-radius: ${innerCorner};
  background: ${color.well};
  line-height: 1.3;
  font-size: ${size.small};
  cursor: pointer;
  &:hover {
    border-color: ${color.indigo};
  }
  &:disabled {
    cursor: default;
  }
`;

/** What came of a change: what was made, and what stayed as it was and why. */
function Outcome({ report }: { report: Report }) {
  const { clinic, discreet } = useSession();
  const times = useTimes();
  const name = (id: string) => clinic.staff.find((s) => s.id === id)?.lastName ?? '';
  return (
    <Notice $tone={report.left.length + report.toRebook.length > 0 ? 'brass' : 'kelp'} role="status">
      <Stack $gap={1} data-report={report.left.length}>
        <span>
          {report.shiftsMade} shifts and {report.slotsMade} slots made, {report.slotsRemoved} slots taken away.
        </span>
        {report.left.slice(0, 30).map((l) => (
          <span key={l.clinicianId + l.startsAt + l.why}>
            {name(l.clinicianId)}, {times.day(l.startsAt)} {times.time(l.startsAt)}–{times.time(l.endsAt)} {l.why}.
          </span>
        ))}
        {report.left.length > 30 && <Small>and {report.left.length - 30} more.</Small>}
        {report.toRebook.length > 0 && (
          <>
            <strong>
              {report.toRebook.length === 1 ? 'One waits' : `${report.toRebook.length} wait`} for a new time now:
            </strong>
            {report.toRebook.map((w) => (
              <span key={w.visitId} data-to-rebook>
                {discreet ? '•••••' : w.name}, {times.day(w.startsAt)} {times.time(w.startsAt)} with{' '}
                {name(w.clinicianId)}
              </span>
            ))}
            <Row>
              <Link to="/schedule?away=1">The rebooking list</Link>
            </Row>
          </>
        )}
      </Stack>
    </Notice>
  );
}

export function WorkingTime() {
  const { clinic } = useSession();
  const may = useMay();
  const look = useLook(supply());
  const [open, setOpen] = useState<Start | null>(null);
  const [report, setReport] = useState<Report | null>(null);
  const { run, busy, refusal } = useDo();
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  const mayChange = may('set_clinic');
  if (!look.data) return <Unanswered look={look} />;
  const { templates, daysAhead } = look.data;
  const site = (id: string) => clinic.sites.find((s) => s.id === id)?.name ?? '';
  const days = weekdays.filter((_, n) => n < 6 || templates.some((t) => t.weekday === 7));
  return (
    <>
      <Sheet>
        <Row>
          <h2>Working time</h2>
          <Spread />
          {mayChange && (
            <Button
              isDisabled={busy}
              onPress={() => void run(() => api.POST('/api/supply/make')).then((r) => r && setReport(r))}
            >
              Make now
            </Button>
          )}
          {may('change_slots') && <Button onPress={() => setOpen({ oneOff: true })}>One day only</Button>}
          {mayChange && (
            <Button $kind="filled" onPress={() => setOpen({})}>
              New working time
            </Button>
          )}
        </Row>
        <Stack style={{ marginTop: space(3) }}>
          <Small>
            Shifts are made from it every night, {daysAhead} days ahead. Choose a shift to change it from a day on.
          </Small>
          {report && <Outcome report={report} />}
          {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
          {templates.length === 0 && <Empty>Nobody works yet. Begin with new working time.</Empty>}
          <Scroller>
            <Table>
              <thead>
                <tr>
                  <th />
                  {days.map((d) => (
                    <th key={d}>{d}</th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {clinicians.map((c) => (
                  <tr key={c.id}>
                    <td style={{ minWidth: part.count }}>{c.lastName}</td>
                    {days.map((d, n) => (
                      <td key={d} style={{ minWidth: part.dayCell }}>
                        {templates
                          .filter((t) => t.clinicianId === c.id && t.weekday === n + 1)
                          .map((t) => (
                            <Bar
                              key={t.id}
                              disabled={!mayChange}
                              onClick={() => setOpen({ template: t })}
                              data-template={t.id}
                              title={`${c.name}, ${d} ${clock(t.fromMinute)} to ${clock(t.toMinute)} at ${site(t.siteId)}`}
                            >
                              <Mono>
                                {clock(t.fromMinute)}–{clock(t.toMinute)}
                              </Mono>
                              <br />
                              {site(t.siteId)}
                              {t.everyWeeks > 1 && (
                                <>
                                  <br />
                                  every {t.everyWeeks} weeks
                                </>
                              )}
                              {[...new Set(t.runs.map((r) => r.clinic).filter(Boolean))].map((name) => (
                                <Small key={name} style={{ display: 'block' }}>
                                  {name}
                                </Small>
                              ))}
                              {(t.beginsOn > clinic.today || t.endsOn) && (
                                <Small style={{ display: 'block' }}>
                                  {t.beginsOn > clinic.today && `from ${plainDate(t.beginsOn)} `}
                                  {t.endsOn && `until ${plainDate(t.endsOn)}`}
                                </Small>
                              )}
                            </Bar>
                          ))}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        </Stack>
      </Sheet>
      <Exceptions list={look.data.exceptions} onReport={setReport} />
      {open && (
        <TemplateDialog
          start={open}
          onClose={() => setOpen(null)}
          onDone={(r) => {
            setReport(r);
            setOpen(null);
          }}
        />
      )}
    </>
  );
}

/** Days on which nobody works, or one does not. */
function Exceptions(p: { list: Schemas['SupplyException'][]; onReport: (r: Report) => void }) {
  const { clinic } = useSession();
  const may = useMay();
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [reason, setReason] = useState('');
  const [whose, setWhose] = useState('all');
  const { run, busy, refusal } = useDo();
  const { clinicians, sites } = useChoices();
  const add = async () => {
    const body = {
      from,
      to,
      reason,
      clinicianId: clinicians.some((c) => c.id === whose) ? whose : null,
      siteId: sites.some((s) => s.id === whose) ? whose : null,
    };
    const report = await run(() => api.POST('/api/supply/exceptions', { body }));
    if (!report) return;
    p.onReport(report);
    setFrom(typedSince(from));
    setTo(typedSince(to));
    setReason(typedSince(reason));
  };
  const remove = (id: string) =>
    run(() => api.DELETE('/api/supply/exceptions/{id}', { params: { path: { id } } })).then((r) => r && p.onReport(r));
  const words = (e: Schemas['SupplyException']) =>
    clinic.staff.find((s) => s.id === e.clinicianId)?.name ??
    clinic.sites.find((s) => s.id === e.siteId)?.name ??
    'the whole clinic';
  return (
    <Sheet>
      <h2>Days that are not as the week says</h2>
      <Stack>
        {p.list.length === 0 && <Small>None to come.</Small>}
        {p.list.length > 0 && (
          <Table>
            <tbody>
              {p.list.map((e) => (
                <tr key={e.id} data-exception>
                  <td>
                    {plainDate(e.fromDay)}
                    {e.toDay !== e.fromDay && ` to ${plainDate(e.toDay)}`}
                  </td>
                  <td>{words(e)}</td>
                  <td>{e.reason}</td>
                  <td>
                    <Small>{e.madeBy}</Small>
                  </td>
                  <td className="number">
                    {may('set_clinic') && (
                      <Button
                        $kind="quiet"
                        isDisabled={busy}
                        onPress={() => void remove(e.id)}
                        aria-label={`Work after all on ${plainDate(e.fromDay)}`}
                      >
                        Work after all
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
        {may('set_clinic') && (
          <Form refusal={refusal} onSave={add}>
            <Columns $min={part.field}>
              <Field name="from" label="From" value={from} onChange={setFrom} placeholder="24 dec" />
              <Field name="to" label="To" value={to} onChange={setTo} placeholder="that day" />
              <Pick
                label="Who does not work"
                value={whose}
                onChange={setWhose}
                choices={[{ id: 'all', label: 'The whole clinic' }, ...sites, ...clinicians]}
              />
              <Field name="reason" label="Reason" value={reason} onChange={setReason} />
              <Row $align="end" style={{ alignSelf: 'end' }}>
                <Button type="submit" isDisabled={busy}>
                  Close these days
                </Button>
              </Row>
            </Columns>
            <Refused />
          </Form>
        )}
      </Stack>
    </Sheet>
  );
}
