import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { DayField, useTypedDay } from '../../app/days';
import { useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { TakeSeveral } from '../../ui/choices';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Empty, Mono, Notice, Row, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { RebookingPlan, toldWords } from './RebookingPlan';
import { freeThen, shifts as shiftsQuery } from './queries';

const Wide = styled.div`
  min-width: ${part.wideField};
`;

const everybody = 'everybody';

/** A clinician is away: shifts are handed over or cancelled, and everybody gets a new time in one plan. */
export function Away({ day, onClose }: { day: string; onClose: () => void }) {
  const { clinic } = useSession();
  const { clinicians } = useChoices();
  const times = useTimes();
  const [who, setWho] = useState(everybody);
  const [from, setFrom] = useState(day);
  const [to, setTo] = useState('');
  const [first, last] = [useTypedDay(from), useTypedDay(to)];
  const asked = {
    from: first.day ?? day,
    ...(to.trim() !== '' && last.day && { to: last.day }),
    ...(who !== everybody && { clinicianId: who }),
  };
  const look = useLook(shiftsQuery(asked), first.day !== undefined);
  const [reason, setReason] = useState('');
  const [next, setNext] = useState<string | null>(null);
  const [chosen, setChosen] = useState<string[]>([]);
  const [tell, setTell] = useState(true);
  const [handed, setHanded] = useState<Schemas['HandedOver'] | null>(null);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const out = useLook(shiftsQuery({ ...asked, cancelled: true }), first.day !== undefined);
  const place = (s: Schemas['ShiftBooked']) => clinic.staff.findIndex((x) => x.id === s.clinicianId);
  const shifts = [...(look.data ?? [])].sort((a, b) => a.startsAt.localeCompare(b.startsAt) || place(a) - place(b));
  const taken = shifts.filter((s) => chosen.includes(s.id));
  // Whoever works then cannot take them on.
  const free = useLook(freeThen(chosen), taken.length > 0);
  const canTakeOn = clinicians.filter((c) => free.data?.includes(c.id) && taken.every((s) => s.clinicianId !== c.id));
  const visits = taken.reduce((n, s) => n + s.visits, 0);
  const count = taken.length === 1 ? 'the shift' : `${taken.length} shifts`;
  const shiftIds = taken.map((s) => s.id);
  const cancel = async () => {
    const done = await run(() => api.POST('/api/shifts/cancel', { body: { shiftIds, reason } }));
    if (!done) return;
    offerUndo(`Cancelled ${count}, ${done.visits} to rebook.`, () =>
      api.POST('/api/shifts/restore', { body: { shiftIds } }),
    );
    setChosen([]);
    setReason('');
  };
  const handOver = async () => {
    const body = { shiftIds, clinicianId: next ?? '', tell };
    const done = await run(() => api.POST('/api/shifts/hand-over', { body }));
    if (!done) return;
    setChosen([]);
    setHanded(done);
  };
  const name = (s: Schemas['ShiftBooked']) => clinic.staff.find((x) => x.id === s.clinicianId)?.lastName ?? '';
  const when = (s: Schemas['ShiftBooked']) =>
    `${times.day(s.startsAt)} ${times.time(s.startsAt)}–${times.time(s.endsAt)}`;
  return (
    <Dialog light title="Away, and the rebooking list" open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Columns $min={part.wideField}>
          <Pick
            label="Who is away"
            value={who}
            onChange={(id) => {
              setWho(id);
              setChosen([]);
            }}
            choices={[{ id: everybody, label: 'Everybody' }, ...clinicians]}
          />
          <DayField label="From" name="from" value={from} onChange={setFrom} read={first} />
          <Field
            label="To"
            name="to"
            value={to}
            onChange={setTo}
            fault={last.fault ?? look.error?.fault('to')}
            hint={last.words}
            placeholder="that day"
          />
        </Columns>
        {shifts.length > 0 && (
          <Row $align="end">
            <Small>Arrows and Space choose, Ctrl+A takes all.</Small>
            <Spread />
            <Button $kind="quiet" onPress={() => setChosen(shifts.map((s) => s.id))}>
              All {shifts.length}
            </Button>
          </Row>
        )}
        <TakeSeveral
          label="Shifts"
          items={shifts}
          keyOf={(s) => s.id}
          textOf={(s) => `${name(s)} ${when(s)}`}
          value={chosen}
          onChange={setChosen}
          render={(s) => (
            <>
              <Mono>{when(s)}</Mono>
              <span>{name(s)}</span>
              <Small>
                {clinic.sites.find((x) => x.id === s.siteId)?.name} · {s.visits === 0 ? 'nobody' : s.visits} booked
              </Small>
            </>
          )}
        />
        {look.data?.length === 0 && <Empty>Nobody works then.</Empty>}
        {out.data?.map((s) => (
          <Row key={s.id} data-cancelled={s.id}>
            <Mono>{when(s)}</Mono>
            <span>{name(s)}</span>
            <Small>
              falls out{s.cancelReason && `: ${s.cancelReason}`}
              {s.visits > 0 && ` · ${s.visits} without a new time`}
            </Small>
            <Spread />
            <Button
              isDisabled={busy}
              aria-label={`${name(s)} ${when(s)} takes place after all`}
              onPress={() => void run(() => api.POST('/api/shifts/restore', { body: { shiftIds: [s.id] } }))}
            >
              Takes place after all
            </Button>
          </Row>
        ))}
        {taken.length > 0 && (
          <Row $align="end">
            <Wide>
              <Field
                name="reason"
                label={taken.length === 1 ? 'Why the shift falls out' : 'Why they fall out'}
                value={reason}
                onChange={setReason}
              />
            </Wide>
            <Button $kind="stop" isDisabled={busy} onPress={() => void cancel()}>
              Cancel {count}, {visits} to rebook
            </Button>
            <Spread />
            <Wide>
              <Pick
                label="Or hand over to"
                value={next}
                onChange={setNext}
                choices={canTakeOn}
                placeholder={free.data && canTakeOn.length === 0 ? 'Nobody is free then' : 'Whoever is free then'}
              />
            </Wide>
            {visits > 0 && <Check label="Tell them whom they will see" value={tell} onChange={setTell} />}
            <Button
              isDisabled={busy || !canTakeOn.some((c) => c.id === next)}
              aria-label={`Hand over ${count}`}
              onPress={() => void handOver()}
            >
              Hand over
            </Button>
          </Row>
        )}
        {handed && (
          <Notice $tone="kelp" role="status">
            Handed over with {handed.visits} booked.
            {handed.told.messages + handed.told.letters + handed.told.calls > 0 &&
              ` ${toldWords(handed.told)} All of it stands under Messages and calls.`}
          </Notice>
        )}
        <Refused />
        <RebookingPlan />
      </Form>
    </Dialog>
  );
}
