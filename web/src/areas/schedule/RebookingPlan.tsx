import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Check, Pick } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { useSlotWords } from './AskFirst';
import { rebooking } from './queries';
import { useWordOf } from '../../app/choices';

type Plan = Schemas['RebookingPlan'];
type Pin = Schemas['Pinned'];

/** How many are told, and how. */
export const toldWords = (told: Schemas['Told']) =>
  `${told.messages} messages go out, ${told.letters} letters wait for the printer, ${told.calls} are to be called.`;

/** The visits that have another time in the new plan. */
function differing(before: Plan, after: Plan): string[] {
  const was = new Map(before.lines.map((l) => [l.card.visit.id, l.slot?.id]));
  return after.lines
    .map((l) => ({ id: l.card.visit.id, slot: l.slot?.id }))
    .filter((l) => was.has(l.id) && was.get(l.id) !== l.slot)
    .map((l) => l.id);
}

/** The plan: before and after for each, changeable line by line; what is pinned stays, the rest is solved again. */
export function RebookingPlan() {
  const channelWord = useWordOf('channels');
  const { clinic, discreet } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const [pins, setPins] = useState<Pin[]>([]);
  const look = useLook(rebooking(pins));
  const [last, setLast] = useState<Plan | null>(null);
  const [changed, setChanged] = useState<string[]>([]);
  if (look.data && look.data !== last) {
    // Whatever is solved again, by a pin or because somebody was faster, shows what became of the other lines.
    if (last) setChanged(differing(last, look.data));
    setLast(look.data);
  }
  const { run, busy, refusal } = useDo();
  const [tell, setTell] = useState(true);
  const [told, setTold] = useState<Schemas['Told'] | null>(null);
  const words = useSlotWords();
  const plan = look.data ?? last;
  if (!plan) return null;
  const outcome = told && (
    <Notice $tone="kelp" role="status">
      {toldWords(told)} All of it stands under Messages and calls.
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
    // Somebody was faster: the pins stay, and the plan is made anew around what is gone.
    if (!done) return void look.refetch();
    setPins([]);
    setChanged([]);
    if (tell) setTold(done);
  };
  const none = plan.lines.filter((l) => !l.slot).map((l) => l.card.visit.id);
  const tellNone = async () => {
    const done = await run(() => api.POST('/api/rebooking/tell', { body: { visitIds: none } }));
    if (done) setTold(done);
  };
  const lastName = (id: string) => clinic.staff.find((x) => x.id === id)?.lastName ?? '';
  const typeName = (id: string) => clinic.visitTypes.find((t) => t.id === id)?.name;
  return (
    <Stack $gap={3} data-plan={plan.lines.length}>
      {outcome}
      <p>
        <strong>{plan.lines.length}</strong> wait for a new time. The plan places {placed.length} with{' '}
        {(plan.delayTenthDays / 10).toFixed(1)} days of delay in all
        {plan.unplaced > 0 && `; ${plan.unplaced} get none`}.{' '}
        {look.isFetching && <Small role="status">Solving again…</Small>}
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
                  <td>
                    {identity(l.card.person, l.card.visit.callSign)}
                    <br />
                    <Small>
                      {[typeName(l.card.visit.visitTypeId), !discreet && l.card.visit.reason]
                        .filter(Boolean)
                        .join(' · ')}
                    </Small>
                  </td>
                  <td>
                    <Mono>
                      {times.day(l.card.visit.startsAt)} {times.time(l.card.visit.startsAt)}
                    </Mono>
                    <br />
                    <Small>{lastName(l.card.visit.clinicianId)}</Small>
                  </td>
                  <td style={{ minWidth: part.list }}>
                    <Pick
                      label={`New time of ${identity(l.card.person, l.card.visit.callSign)}`}
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
                    {changed.includes(id) && <Tag $tone="brass">changed</Tag>}
                    {l.pinned && (
                      <Row $gap={1}>
                        <Tag $tone="tide">pinned</Tag>
                        <Button
                          $kind="quiet"
                          onPress={() => free(id)}
                          aria-label={`Let go of ${identity(l.card.person, l.card.visit.callSign)}`}
                        >
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
          isDisabled={busy || placed.length === 0 || look.isFetching}
          onPress={() => void accept()}
        >
          Take the plan for {placed.length}
        </Button>
      </Row>
    </Stack>
  );
}
