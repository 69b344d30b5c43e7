/** The schedule: a day of all, a week of one, a month with the room that is left. */

import { useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Menu } from '../../ui/choices';
import { Button, Choose, Dialog, Field, Pick } from '../../ui/controls';
import { Empty, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { part, phone, size, space } from '../../ui/tokens';
import { Away } from './Away';
import { Board } from './Board';
import { type Column, dayColumns, weekColumn } from './columns';
import { BookDialog } from './BookDialog';
import { FeedDialog } from './FeedDialog';
import { GroupsDialog, useGroups, WhoPick } from './Groups';
import { Month } from './Month';
import { NewNote } from './NewNote';
import { OpenTimes } from './OpenTimes';
import { PrintDialog } from './PrintDialog';
import { SlotDialog } from './SlotDialog';
import { Told } from './Told';
import { Untimed } from './Untimed';
import { WaitingList } from './WaitingList';

type Slot = Schemas['Slot'];
type Card = Schemas['VisitCard'];
type Place = Schemas['NewTimeForm'];

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

const Day = styled.h1`
  font-size: ${size.head};
  line-height: 1.2;
  white-space: nowrap;
  @media (max-width: ${phone}) {
    font-size: 0;
    &::after {
      font-size: ${size.head};
      content: attr(data-short);
    }
  }
`;

/** One line, but on a phone, where it breaks. */
const TopRow = styled.div`
  display: flex;
  align-items: center;
  gap: ${space(2)};
  @media (max-width: ${phone}) {
    flex-wrap: wrap;
  }
`;

const Wide = styled.div`
  width: ${space(28)};
  @media (max-width: ${phone}) {
    display: none;
  }
`;

/** Noon divides the halves of the day. */
const noon = 12 * 60;

export default function Schedule() {
  const { clinic, now, setInHand, inHand } = useSession();
  const [params, setParams] = useSearchParams();
  const day = params.get('day') ?? clinic.today;
  const view = params.get('view') ?? 'day';
  const [typed, setTyped] = useState('');
  const [search, setSearch] = useState('');
  const [site, setSite] = useState('any');
  const [half, setHalf] = useState('all');
  const [folded, setFolded] = useState(false);
  const [who, setWho] = useState<string | null>(null);
  const [booking, setBooking] = useState<{ slot: Slot; minutes?: number; extra?: boolean } | null>(null);
  const [slot, setSlot] = useState<Slot | null>(null);
  const [note, setNote] = useState<Schemas['ScheduleNote'] | null>(null);
  const [group, setGroup] = useState('all');
  const [moved, setMoved] = useState<Card | null>(null);
  const [asked, setAsked] = useState<{ visit: Card; to: Slot } | null>(null);
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const { run, refusal, setRefusal } = useDo();
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  const chosen = who ?? clinicians[0]?.id ?? '';
  const look = useLook(
    ['schedule', day],
    () => api.GET('/api/schedule', { params: { query: { day } } }),
    view === 'day',
  );
  const week = useLook(
    ['schedule', 'week', day, chosen],
    () => api.GET('/api/schedule/week', { params: { query: { day, clinicianId: chosen } } }),
    view === 'week',
  );
  const understood = useLook(
    ['date', typed],
    () => api.GET('/api/dates', { params: { query: { text: typed, sense: '' } } }),
    typed.length > 1,
  );
  const movingId = params.get('move');
  const takenUp = useLook(
    ['visit', movingId],
    () => api.GET('/api/visits/{id}', { params: { path: { id: movingId ?? '' } } }),
    movingId !== null,
  );
  const moving = (movingId !== null && takenUp.data?.card) || null;
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
  const groups = useGroups(view === 'day');
  const members = groups.find((g) => g.id === group)?.members;
  const more = [
    { id: 'waiting', label: 'Waiting list', shown: may('book') },
    { id: 'told', label: 'Messages and calls', shown: may('book') },
    { id: 'note', label: 'Pin a note to a time', shown: may('book') },
    { id: 'print', label: 'Print the lists', shown: true },
    { id: 'groups', label: 'Groups of clinicians', shown: true },
    { id: 'feed', label: 'My days in a calendar', shown: true },
  ]
    .filter((m) => m.shown)
    .map((m) => ({ ...m, onChoose: () => go({ more: m.id }) }));
  const inHandVisit = inHand !== null && 'visit' in inHand ? inHand.visit : null;
  useKeys({
    '[': () => shift(-1),
    ']': () => shift(1),
    o: () => go({ open: '1' }),
    m: () => inHandVisit && go({ move: inHandVisit }),
    escape: () => go({ move: null }),
  });
  const send = (visit: Card, place: Place) =>
    run(() => api.POST('/api/visits/{id}/move', { params: { path: { id: visit.visit.id } }, body: place }));
  const move = async (visit: Card, to: Slot, knowingly = false) => {
    const done = await send(visit, { slotId: to.id, knowingly });
    setAsked(done ? null : { visit, to });
    go({ move: null, open: null });
    if (!done) return;
    setInHand({ visit: visit.visit.id });
    setMoved(visit);
  };
  // Back to exactly where and how it was.
  const takeBack = async (card: Card) => {
    setMoved(null);
    const { slotId, startsAt, endsAt, extra } = card.visit;
    const minutes = (new Date(endsAt).getTime() - new Date(startsAt).getTime()) / 60000;
    if (slotId) await send(card, { slotId, minutes, extra, knowingly: true });
  };
  const wanted = (id: string) => group === 'all' || id === group || (members?.includes(id) ?? false);
  const columns: Column[] =
    view === 'week'
      ? (week.data ?? []).map((d) => weekColumn(d, chosen, times.day(`${d.day}T17:00:00Z`)))
      : look.data
        ? dayColumns(
            look.data,
            clinicians.filter((c) => wanted(c.id)),
            clinic.sites,
            site,
          )
        : [];
  const shifts = columns.flatMap((c) => c.day.shifts.filter((s) => s.clinicianId === c.clinicianId));
  const begins = Math.min(...shifts.map((s) => times.minutesOfDay(s.startsAt)), 24 * 60);
  const ends = Math.max(...shifts.map((s) => times.minutesOfDay(s.endsAt)), begins);
  const nowMinutes = times.minutesOfDay(now.toISOString());
  const past = folded && day === clinic.today && view === 'day' ? Math.floor((nowMinutes - 30) / 60) * 60 : 0;
  const from = Math.max(begins, half === 'afternoon' ? noon : 0, Math.min(past, ends - 60));
  const to = half === 'morning' ? Math.max(Math.min(ends, noon), from) : ends;
  const loaded = view === 'week' ? week.data : look.data;
  const error = look.error ?? week.error ?? refusal;
  const offered = refusal?.is('taken') ? ((refusal.problem.current ?? []) as Slot[]) : [];
  const heading = view === 'month' ? day.slice(0, 7) : (look.data?.words ?? times.day(`${day}T17:00:00Z`));
  return (
    <Whole>
      <Bar>
        <TopRow>
          <Day data-short={times.day(`${day}T17:00:00Z`)}>
            {view === 'month' ? times.month(day) : view === 'week' ? `Week of ${heading}` : heading}
          </Day>
          <Spread />
          <Wide>
            <Field
              label="Go to a day"
              hideLabel
              value={typed}
              onChange={setTyped}
              placeholder="fri, +2w"
              onKeyDown={(e) => {
                if (e.key === 'Enter' && understood.data) {
                  go({ day: understood.data.date });
                  setTyped('');
                }
              }}
            />
          </Wide>
          <Button onPress={() => shift(-1)} aria-label="Before">
            ‹
          </Button>
          <Button onPress={() => go({ day: clinic.today })}>Today</Button>
          <Button onPress={() => shift(1)} aria-label="After">
            ›
          </Button>
          <Button onPress={() => go({ open: '1' })}>Open times</Button>
          {may('change_slots') && <Button onPress={() => go({ away: '1' })}>Away</Button>}
          <Menu label="More" items={more} />
        </TopRow>
        {typed.length > 1 && <Small>{understood.data?.words ?? understood.error?.message ?? ''}</Small>}
        <Row $gap={2} style={{ marginTop: space(2) }}>
          <Choose
            label="View"
            hideLabel
            value={view}
            onChange={(next) => go({ view: next })}
            choices={[
              { id: 'day', label: 'Day' },
              { id: 'week', label: 'Week' },
              { id: 'month', label: 'Month' },
            ]}
          />
          {view !== 'day' && (
            <Wide style={{ width: part.list }}>
              <Pick
                label="Clinician"
                hideLabel
                value={chosen}
                onChange={setWho}
                choices={clinicians.map((c) => ({ id: c.id, label: c.name }))}
              />
            </Wide>
          )}
          {view === 'day' && (
            <>
              <Wide>
                <WhoPick groups={groups} value={group} onChange={setGroup} />
              </Wide>
              <Wide>
                <Pick
                  label="Site"
                  hideLabel
                  value={site}
                  onChange={setSite}
                  choices={[
                    { id: 'any', label: 'All sites' },
                    ...clinic.sites.map((s) => ({ id: s.id, label: s.name })),
                  ]}
                />
              </Wide>
              <Wide>
                <Pick
                  label="Part of the day"
                  hideLabel
                  value={half}
                  onChange={setHalf}
                  choices={[
                    { id: 'all', label: 'Whole day' },
                    { id: 'morning', label: 'Morning' },
                    { id: 'afternoon', label: 'Afternoon' },
                  ]}
                />
              </Wide>
              {day === clinic.today && (
                <Button onPress={() => setFolded(!folded)} aria-pressed={folded}>
                  {folded ? 'Show past' : 'Fold past'}
                </Button>
              )}
            </>
          )}
          {view !== 'month' && (
            <Wide>
              <Field
                label="Find in what is shown"
                hideLabel
                value={search}
                onChange={setSearch}
                placeholder="Find here"
              />
            </Wide>
          )}
        </Row>
        {view === 'day' && look.data && <Untimed day={look.data} />}
        {view === 'day' &&
          look.data?.exceptions.map((e) => (
            <Small key={e.id} style={{ display: 'block', marginTop: space(1) }}>
              {clinic.staff.find((s) => s.id === e.clinicianId)?.name ??
                clinic.sites.find((s) => s.id === e.siteId)?.name ??
                'The clinic'}{' '}
              does not work today: {e.reason}.
            </Small>
          ))}
        {moving && (
          <Notice $tone="tide" role="status" style={{ marginTop: space(2) }}>
            <Row>
              <span>
                Moving <strong>{identity(moving.person, moving.visit.callSign)}</strong>,{' '}
                {times.day(moving.visit.startsAt)} {times.time(moving.visit.startsAt)}: choose the new time. Esc leaves
                it where it is.
              </span>
              <Spread />
              <Button onPress={() => go({ move: null })}>Leave it</Button>
            </Row>
          </Notice>
        )}
        {moved && !moving && (
          <Notice $tone="kelp" role="status" style={{ marginTop: space(2) }}>
            <Row>
              <span>
                {identity(moved.person, moved.visit.callSign)} moved from {times.day(moved.visit.startsAt)}{' '}
                {times.time(moved.visit.startsAt)}.
              </span>
              <Spread />
              <Button onPress={() => void takeBack(moved)}>Undo</Button>
            </Row>
          </Notice>
        )}
        {error && (
          <Notice $tone="coral" role="alert" style={{ marginTop: space(2) }}>
            <Row>
              <span>{error.message}</span>
              <Spread />
              {refusal?.is('other-type') && asked && (
                <Button onPress={() => void move(asked.visit, asked.to, true)}>It cannot wait: move it there</Button>
              )}
              {asked &&
                offered.map((s) => (
                  <Button key={s.id} onPress={() => void move(asked.visit, s)}>
                    {times.day(s.startsAt)} {times.time(s.startsAt)}
                  </Button>
                ))}
              {refusal && <Button onPress={() => setRefusal(null)}>Close</Button>}
            </Row>
          </Notice>
        )}
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
          search={search}
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
      {params.get('more') === 'note' && <NewNote day={day} onClose={leave} />}
      {params.get('more') === 'waiting' && <WaitingList onClose={leave} />}
      {params.get('more') === 'told' && <Told onClose={leave} />}
      {params.get('more') === 'print' && <PrintDialog day={day} onClose={leave} />}
      {params.get('more') === 'groups' && <GroupsDialog groups={groups} onClose={leave} />}
      {params.get('more') === 'feed' && <FeedDialog onClose={leave} />}
      {note && (
        <Dialog title={`Note for ${times.time(note.at)}`} open onClose={() => setNote(null)}>
          <Stack>
            <p>{note.body}</p>
            <Small>
              {note.madeBy}, {times.full(note.madeAt)}
            </Small>
            <Row>
              <Spread />
              <Button
                onPress={() =>
                  void run(() => api.DELETE('/api/schedule/notes/{id}', { params: { path: { id: note.id } } })).then(
                    () => setNote(null),
                  )
                }
              >
                Remove the note
              </Button>
            </Row>
          </Stack>
        </Dialog>
      )}
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
            go({ open: null, day: times.date(s.startsAt) });
            setBooking({ slot: s, minutes });
          }}
        />
      )}
    </Whole>
  );
}
