import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Check, Dialog, Field, Pick } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';

type Plan = Schemas['RebookingPlan'];
type Pin = Schemas['Pinned'];

const wayWord: Record<string, string> = { text: 'text', email: 'e-mail', letter: 'letter', call: 'call' };

const Wide = styled.div`
  min-width: ${part.wideField};
`;

/** A clinician is away: the shift is handed over or cancelled, and everybody gets a new time in one plan. */
export function Away({ day, onClose }: { day: string; onClose: () => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const look = useLook(['schedule', day], () => api.GET('/api/schedule', { params: { query: { day } } }));
  const [reason, setReason] = useState('');
  const [to, setTo] = useState<string | null>(null);
  const [chosen, setChosen] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const shift = look.data?.shifts.find((s) => s.id === chosen);
  const name = (id: string | undefined) => clinic.staff.find((s) => s.id === id)?.lastName ?? '';
  const place = (s: Schemas['Shift']) => clinic.staff.findIndex((x) => x.id === s.clinicianId);
  const shifts = [...(look.data?.shifts ?? [])].sort(
    (a, b) => place(a) - place(b) || a.startsAt.localeCompare(b.startsAt),
  );
  const within = (s: Schemas['Shift']) =>
    look.data?.visits.filter(
      (v) =>
        v.visit.clinicianId === s.clinicianId &&
        v.visit.startsAt >= s.startsAt &&
        v.visit.startsAt < s.endsAt &&
        v.visit.stage !== 'cancelled',
    ).length ?? 0;
  const cancel = async (id: string) => {
    if (await run(() => api.POST('/api/shifts/{id}/cancel', { params: { path: { id } }, body: { reason } }))) {
      setChosen(null);
      setReason('');
    }
  };
  const handOver = async (id: string) => {
    const body = { clinicianId: to ?? '' };
    if (await run(() => api.POST('/api/shifts/{id}/hand-over', { params: { path: { id } }, body }))) setChosen(null);
  };
  return (
    <Dialog title={`Away on ${times.day(`${day}T17:00:00Z`)}, and the rebooking list`} open onClose={onClose} wide>
      <Stack $gap={4}>
        <Row $gap={2}>
          {shifts.map((s) => (
            <Button key={s.id} aria-pressed={s.id === chosen} onPress={() => setChosen(s.id === chosen ? null : s.id)}>
              {name(s.clinicianId)} {times.time(s.startsAt)}–{times.time(s.endsAt)}
            </Button>
          ))}
        </Row>
        {shift && (
          <Row $align="end">
            <Wide>
              <Field
                label="Why the shift falls out"
                name="away"
                value={reason}
                onChange={setReason}
                fault={refusal?.fault('reason')}
              />
            </Wide>
            <Button $kind="stop" isDisabled={busy} onPress={() => void cancel(shift.id)}>
              Cancel the shift, {within(shift)} to rebook
            </Button>
            <Spread />
            <Wide>
              <Pick
                label="Or hand it to"
                value={to}
                onChange={setTo}
                choices={clinic.staff
                  .filter((s) => s.role === 'clinician' && s.id !== shift.clinicianId)
                  .map((s) => ({ id: s.id, label: s.name }))}
              />
            </Wide>
            <Button isDisabled={busy || to === null} onPress={() => void handOver(shift.id)}>
              Hand over
            </Button>
          </Row>
        )}
        {refusal && refusal.problem.fields.length === 0 && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        <Rebooking />
      </Stack>
    </Dialog>
  );
}

/** The plan: before and after for each, changeable line by line; what is pinned stays, the rest is solved again. */
function Rebooking() {
  const { clinic } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const [pins, setPins] = useState<Pin[]>([]);
  const look = useLook(['rebooking', pins], () => api.POST('/api/rebooking', { body: pins }));
  const [last, setLast] = useState<Plan | null>(null);
  if (look.data && look.data !== last) setLast(look.data);
  const { run, busy, refusal } = useDo();
  const [tell, setTell] = useState(true);
  const [told, setTold] = useState<Schemas['Told'] | null>(null);
  const plan = look.data ?? last;
  if (!plan) return null;
  const outcome = told && (
    <Notice $tone="kelp" role="status">
      {told.messages} messages go out, {told.letters} letters wait for the printer, {told.calls} are to be called. All
      of it stands under Messages and calls.
    </Notice>
  );
  if (plan.lines.length === 0)
    return (
      <Stack>
        {outcome}
        <Empty>Nobody waits for a new time.</Empty>
      </Stack>
    );
  const pin = (visitId: string, slotId: string | null) =>
    setPins([...pins.filter((p) => p.visitId !== visitId), { visitId, slotId }]);
  const free = (visitId: string) => setPins(pins.filter((p) => p.visitId !== visitId));
  const placed = plan.lines.flatMap((l) => (l.slot ? [{ visitId: l.card.visit.id, slotId: l.slot.id }] : []));
  const accept = async () => {
    const done = await run(() => api.POST('/api/rebooking/accept', { body: { lines: placed, tell } }));
    if (!done) return;
    setPins([]);
    if (tell) setTold(done);
  };
  const none = plan.lines.filter((l) => !l.slot).map((l) => l.card.visit.id);
  const tellNone = async () => {
    const done = await run(() => api.POST('/api/rebooking/tell', { body: { visitIds: none } }));
    if (done) setTold(done);
  };
  const words = (s: Schemas['Slot']) =>
    `${times.day(s.startsAt)} ${times.time(s.startsAt)}, ${clinic.staff.find((x) => x.id === s.clinicianId)?.lastName ?? ''}`;
  return (
    <Stack $gap={3} data-plan={plan.lines.length}>
      {outcome}
      <p>
        <strong>{plan.lines.length}</strong> wait for a new time. The plan places {placed.length} with{' '}
        {(plan.delayTenthDays / 10).toFixed(1)} days of delay in all
        {plan.unplaced > 0 && `; ${plan.unplaced} get none`}.
      </p>
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th>Patient</th>
              <th>Before</th>
              <th>After</th>
              <th>Why</th>
              <th>Told by</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {plan.lines.map((l) => {
              const id = l.card.visit.id;
              const choices = [
                { id: '', label: 'No new time: call' },
                ...(l.slot ? [{ id: l.slot.id, label: words(l.slot) }] : []),
                ...l.others.map((o) => ({ id: o.id, label: words(o) })),
              ];
              return (
                <tr key={id} data-line={l.card.person.recordNumber}>
                  <td>{identity(l.card.person, l.card.visit.callSign)}</td>
                  <td>
                    <Mono>
                      {times.day(l.card.visit.startsAt)} {times.time(l.card.visit.startsAt)}
                    </Mono>
                  </td>
                  <td style={{ minWidth: part.list }}>
                    <Pick
                      label={`New time of ${l.card.person.name}`}
                      hideLabel
                      value={l.slot?.id ?? ''}
                      onChange={(slot) => pin(id, slot === '' ? null : slot)}
                      choices={choices}
                    />
                  </td>
                  <td>
                    <Small>{l.reasons.join(', ')}</Small>
                  </td>
                  <td>
                    <Small title={l.why}>{l.way ? wayWord[l.way] : 'nobody'}</Small>
                  </td>
                  <td>
                    {l.pinned && (
                      <Row $gap={1}>
                        <Tag $tone="tide">pinned</Tag>
                        <Button $kind="quiet" onPress={() => free(id)} aria-label={`Let go of ${l.card.person.name}`}>
                          Let go
                        </Button>
                      </Row>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </Table>
      </Scroller>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Row>
        <Check label="Tell everybody, as each agreed" value={tell} onChange={setTell} />
        <Spread />
        {none.length > 0 && (
          <Button isDisabled={busy} onPress={() => void tellNone()}>
            Tell the {none.length} without a time
          </Button>
        )}
        <Button
          $kind="filled"
          data-main-action
          isDisabled={busy || placed.length === 0 || look.isFetching}
          onPress={() => void accept()}
        >
          Take the plan for {placed.length}
        </Button>
      </Row>
    </Stack>
  );
}
