import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useIdentity, usePhone, useTimes } from '../../app/words';
import { weekdays } from '../../ui/choices';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { AskFirst, useMeant } from './AskFirst';
import { clock } from './TemplateDialog';
import { waitingFor, waitingList } from './queries';

type Waiting = Schemas['WaitingView'];

/** The wishes of somebody who waits, in words. */
function useWishes() {
  const { clinic } = useSession();
  return (w: Schemas['WaitingEntry']) =>
    [
      clinic.visitTypes.find((t) => t.id === w.visitTypeId)?.name,
      w.clinicianIds.map((id) => clinic.staff.find((s) => s.id === id)?.lastName).join(' or '),
      w.siteIds.map((id) => clinic.sites.find((s) => s.id === id)?.name).join(' or '),
      w.weekdays.map((n) => weekdays[n - 1]).join(', '),
      w.fromMinute > 0 && `from ${clock(w.fromMinute)}`,
      w.toMinute < 1440 && `before ${clock(w.toMinute)}`,
      w.note,
    ]
      .filter(Boolean)
      .join(' · ');
}

/** Everybody who wants a time, or an earlier one. */
export function WaitingList({ onClose }: { onClose: () => void }) {
  const times = useTimes();
  const identity = useIdentity();
  const phone = usePhone();
  const wishes = useWishes();
  const look = useLook(waitingList());
  const { run, busy } = useDo();
  const row = ({ entry, person, visit }: Waiting) => (
    <tr key={entry.id} data-waiting={person.recordNumber}>
      <td>
        {identity(person, visit?.callSign)}
        <br />
        <Small>{phone(person.phone)}</Small>
      </td>
      <td>
        {visit && !visit.rebook ? (
          <Mono>
            {times.day(visit.startsAt)} {times.time(visit.startsAt)}
          </Mono>
        ) : (
          <Small>no time yet</Small>
        )}
      </td>
      <td>
        {entry.urgent && <Tag $tone="coral">cannot wait</Tag>} {wishes(entry)}
      </td>
      <td>
        <Small>since {times.full(entry.madeAt)}</Small>
      </td>
      <td>
        <Button
          $kind="quiet"
          isDisabled={busy}
          aria-label={`Waits no more: ${identity(person, visit?.callSign)}`}
          onPress={() => void run(() => api.DELETE('/api/waiting/{id}', { params: { path: { id: entry.id } } }))}
        >
          Waits no more
        </Button>
      </td>
    </tr>
  );
  return (
    <Dialog light title="Waiting list" open onClose={onClose} wide>
      {look.data?.length === 0 && (
        <Empty>
          Nobody waits. Whoever wants an earlier time is put here from the visit in hand, and whoever finds no open time
          from there.
        </Empty>
      )}
      {(look.data?.length ?? 0) > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Patient</th>
                <th>Has</th>
                <th>Wants</th>
                <th />
                <th />
              </tr>
            </thead>
            <tbody>{look.data?.map(row)}</tbody>
          </Table>
        </Scroller>
      )}
    </Dialog>
  );
}

/** Whom an open slot would suit, in the order in which to ask them. */
export function WhomToAsk(p: { slotId: string; onMoved: () => void; onTake: (p: Schemas['PersonCard']) => void }) {
  const times = useTimes();
  const identity = useIdentity();
  const phone = usePhone();
  const look = useLook(waitingFor(p.slotId));
  const { also } = useMeant();
  const [asked, setAsked] = useState<Schemas['ToAsk'] | null>(null);
  const { run, busy, refusal } = useDo();
  if (!look.data || look.data.length === 0) return null;
  const give = async (w: Schemas['ToAsk'], meant: Schemas['Doubt'][] = []) => {
    if (!w.visit) return p.onTake(w.person);
    setAsked(w);
    const path = { id: w.visit.id };
    const body = { slotId: p.slotId, reason: 'earlier time from the waiting list', meant };
    if (await run(() => api.POST('/api/visits/{id}/move', { params: { path }, body }))) p.onMoved();
  };
  return (
    <Notice $tone="tide">
      <Stack $gap={1} data-whom-to-ask={look.data.length}>
        <strong>{look.data.length === 1 ? 'One waits' : `${look.data.length} wait`} for a time like this</strong>
        {look.data.slice(0, 4).map((w) => (
          <Row key={w.entry.id} $gap={2}>
            <span>
              {[identity(w.person, w.visit?.callSign), phone(w.person.phone)].filter(Boolean).join(', ')}
              <br />
              <Small>
                {w.reasons.join(', ')}
                {w.visit && `; has ${times.day(w.visit.startsAt)} ${times.time(w.visit.startsAt)}`}
                {w.entry.note && `; ${w.entry.note}`}
              </Small>
            </span>
            <Spread />
            <Button
              isDisabled={busy}
              onPress={() => void give(w)}
              aria-label={`${w.visit ? 'Move here' : 'Book'}: ${identity(w.person, w.visit?.callSign)}`}
            >
              {w.visit ? 'Move here' : 'Book'}
            </Button>
          </Row>
        ))}
        {refusal && <Small role="alert">{refusal.message}</Small>}
        {asked && (
          <AskFirst
            refusal={refusal}
            what="Move it all the same"
            busy={busy}
            onMeant={() => void give(asked, also(refusal))}
          />
        )}
      </Stack>
    </Notice>
  );
}
