/** The schedule: a day of all, a week of one, a month with the room that is left. */

import { Coming } from '../../ui/Unanswered';
import { useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { type Schemas, useLook } from '../../api/client';
import { useKeys } from '../../app/keys';
import { type Clinic, useSession } from '../../app/session';
import { timesIn } from '../../app/words';
import { Empty, Small } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { Away } from './Away';
import { Board } from './Board';
import { BookDialog } from './BookDialog';
import { Changes } from './Changes';
import { type Column, dayColumns, isInWeek, onBoard, weekColumn } from './columns';
import { FeedDialog } from './FeedDialog';
import { GroupsDialog, useGroups } from './Groups';
import type { Slot } from './LaneCards';
import { Month } from './Month';
import { NewNote } from './NewNote';
import { NoteDialog } from './NoteDialog';
import { OpenTimes } from './OpenTimes';
import { PrintDialog } from './PrintDialog';
import { DayBar, everything, FilterBar, type Shown } from './ScheduleBar';
import { SlotDialog } from './SlotDialog';
import { Told } from './Told';
import { Untimed } from './Untimed';
import { MovingNotices, useMoving } from './useMoving';
import { WaitingList } from './WaitingList';
import { day as dayQuery, week as weekQuery } from './queries';

/** The bar takes what it needs, the board the rest. */
const Whole = styled.div`
  display: flex;
  flex-direction: column;
  position: absolute;
  inset: 0;
`;

const Bar = styled.div`
  padding: ${space(3)} ${space(5)} ${space(2)};
`;

/** Noon divides the halves of the day. */
const noon = 12 * 60;

/** The minutes of the day between which the board reaches; `past` is until when it is folded away. */
function reach(columns: Column[], zone: string, half: string, past: number) {
  const { minutesOfDay } = timesIn(zone);
  const shifts = columns.flatMap((c) => c.day.shifts.filter((s) => s.clinicianId === c.clinicianId));
  const spans = [...shifts, ...columns.flatMap((c) => onBoard(c.day, c.clinicianId).map((v) => v.visit))];
  const begins = Math.min(...spans.map((s) => minutesOfDay(s.startsAt)), 24 * 60);
  const ends = Math.max(...spans.map((s) => minutesOfDay(s.endsAt)), begins);
  const from = Math.max(begins, half === 'afternoon' ? noon : 0, Math.min(past, ends - 60));
  return { from, to: half === 'morning' ? Math.max(Math.min(ends, noon), from) : ends };
}

/** Whoever does not work on the day, and why. */
function Closed({ day, clinic }: { day: Schemas['DayView']; clinic: Clinic }) {
  return day.exceptions.map((e) => (
    <Small key={e.id} style={{ display: 'block', marginTop: space(1) }}>
      {clinic.staff.find((s) => s.id === e.clinicianId)?.name ??
        clinic.sites.find((s) => s.id === e.siteId)?.name ??
        'The clinic'}{' '}
      does not work today: {e.reason}.
    </Small>
  ));
}

export default function Schedule() {
  const { clinic, now, inHand } = useSession();
  const [params, setParams] = useSearchParams();
  const day = params.get('day') ?? clinic.today;
  const view = params.get('view') ?? 'day';
  const [shown, setShown] = useState<Shown>(everything);
  const [who, setWho] = useState<string | null>(null);
  const [booking, setBooking] = useState<{ slot: Slot; minutes?: number } | null>(null);
  const [slot, setSlot] = useState<Slot | null>(null);
  const [note, setNote] = useState<Schemas['ScheduleNote'] | null>(null);
  const clinicians = useMemo(() => clinic.staff.filter((s) => s.role === 'clinician'), [clinic]);
  const chosen = who ?? clinicians[0]?.id ?? '';
  const look = useLook(dayQuery(day), view === 'day');
  const week = useLook(weekQuery(day, chosen), view === 'week');
  const go = (next: Record<string, string | null>) => {
    const all = Object.fromEntries(params);
    for (const [key, value] of Object.entries(next)) {
      if (value === null) delete all[key];
      else all[key] = value;
    }
    setParams(all);
  };
  const leave = () => go({ more: null });
  const shift = (by: number) => {
    const at = new Date(`${day}T12:00:00Z`);
    if (view === 'month') at.setUTCMonth(at.getUTCMonth() + by, 1);
    else at.setUTCDate(at.getUTCDate() + by * (view === 'week' ? 7 : 1));
    go({ day: at.toISOString().slice(0, 10) });
  };
  const moves = useMoving(params.get('move'), () => go({ move: null, open: null }));
  const { moving, move } = moves;
  const inHandVisit = inHand !== null && 'visit' in inHand ? inHand.visit : null;
  useKeys({
    '[': () => shift(-1),
    ']': () => shift(1),
    o: () => go({ open: '1' }),
    m: () => inHandVisit && go({ move: inHandVisit }),
    escape: () => go({ move: null }),
  });
  const groups = useGroups(view === 'day');
  const members = groups.find((g) => g.id === shown.group)?.members;
  // The same columns as long as nothing in them changed, so that no lane is drawn anew for a press or a letter.
  const columns: Column[] = useMemo(() => {
    const { day: dayWords } = timesIn(clinic.zone);
    if (view === 'week') {
      const days = (week.data ?? []).filter((d) => isInWeek(d, chosen));
      return days.map((d) => weekColumn(d, chosen, dayWords(`${d.day}T17:00:00Z`)));
    }
    const wanted = (id: string) => shown.group === 'all' || id === shown.group || (members?.includes(id) ?? false);
    const those = clinicians.filter((c) => wanted(c.id));
    return look.data ? dayColumns(look.data, those, clinic.sites, shown.site) : [];
  }, [view, week.data, look.data, chosen, clinic, clinicians, members, shown.group, shown.site]);
  const nowMinutes = timesIn(clinic.zone).minutesOfDay(now.toISOString());
  const folds = shown.folded && day === clinic.today && view === 'day';
  const past = folds ? Math.floor((nowMinutes - 30) / 60) * 60 : 0;
  const { from, to } = useMemo(
    () => reach(columns, clinic.zone, shown.half, past),
    [columns, clinic.zone, shown.half, past],
  );
  const loaded = view === 'week' ? week.data : look.data;
  // A slot that somebody wants to see, also one that is booked.
  const asked = look.data?.slots.find((s) => s.id === params.get('slot'));
  return (
    <Whole>
      <Bar>
        <DayBar day={day} view={view} words={look.data?.words} onGo={go} onShift={shift} />
        <FilterBar
          day={day}
          view={view}
          onView={(next) => go({ view: next })}
          shown={shown}
          onShown={(next) => setShown((was) => ({ ...was, ...next }))}
          chosen={chosen}
          onChosen={setWho}
          groups={groups}
        />
        {view === 'day' && look.data && <Untimed day={look.data} />}
        {view === 'day' && look.data && <Closed day={look.data} clinic={clinic} />}
        <MovingNotices of={moves} error={look.error ?? week.error} onLeave={() => go({ move: null })} />
        {view !== 'month' && !loaded && !look.error && !week.error && <Coming rows={8} />}
        {view !== 'month' && loaded && columns.length === 0 && (
          <Empty>Nobody works on this day. Choose another one, or look for open times.</Empty>
        )}
      </Bar>
      {view === 'month' && <Month day={day} clinician={chosen} onDay={(d) => go({ day: d, view: 'day' })} />}
      {view !== 'month' && columns.length > 0 && (
        <Board
          columns={columns}
          from={from}
          to={to}
          search={shown.search}
          moving={moving}
          onBook={(s, minutes) => setBooking(minutes === undefined ? { slot: s } : { slot: s, minutes })}
          onSlot={setSlot}
          onMove={(v, s) => void move(v, s)}
          onNote={setNote}
        />
      )}
      {booking && (
        <BookDialog
          {...booking}
          onClose={() => setBooking(null)}
          onOther={(s) => setBooking({ slot: s })}
          onChangeSlot={() => {
            setSlot(booking.slot);
            setBooking(null);
          }}
        />
      )}
      {slot && <SlotDialog slot={slot} onClose={() => setSlot(null)} />}
      {asked && <SlotDialog slot={asked} onClose={() => go({ slot: null })} />}
      {note && <NoteDialog note={note} onClose={() => setNote(null)} />}
      {params.get('more') === 'note' && <NewNote day={day} onClose={leave} />}
      {params.get('more') === 'waiting' && <WaitingList onClose={leave} />}
      {params.get('more') === 'told' && <Told onClose={leave} />}
      {params.get('more') === 'print' && <PrintDialog day={day} onClose={leave} />}
      {params.get('more') === 'changes' && <Changes day={day} onClose={leave} />}
      {params.get('more') === 'groups' && <GroupsDialog groups={groups} onClose={leave} />}
      {params.get('more') === 'feed' && <FeedDialog onClose={leave} />}
      {params.get('extra') !== null && (
        <BookDialog
          slot={look.data?.slots.find((s) => s.id === params.get('extra')) ?? null}
          extra
          onClose={() => go({ extra: null })}
          onOther={(s) => {
            go({ extra: null });
            setBooking({ slot: s });
          }}
        />
      )}
      {params.get('away') !== null && <Away day={day} onClose={() => go({ away: null })} />}
      {params.get('open') !== null && (
        <OpenTimes
          from={day}
          moving={moving}
          onClose={() => go({ open: null })}
          onTake={(s, minutes) => {
            if (moving) return void move(moving, s);
            go({ open: null, day: timesIn(clinic.zone).date(s.startsAt) });
            setBooking({ slot: s, minutes });
          }}
        />
      )}
    </Whole>
  );
}
