import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Check, Pick } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { rebooking } from './queries';
import { useWordOf } from '../../app/choices';

type Plan = Schemas['RebookingPlan'];
type Pin = Schemas['Pinned'];

/** The plan: before and after for each, changeable line by line; what is pinned stays, the rest is solved again. */
export function RebookingPlan() {
  const channelWord = useWordOf('channels');
  const { clinic } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const [pins, setPins] = useState<Pin[]>([]);
  const look = useLook(rebooking(pins));
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
                    <Small title={l.why}>{l.way ? channelWord(l.way) : 'nobody'}</Small>
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
