/** What lies in one lane of the board: held time, free slots, visits, notes and the now line.
 *
 *  A lane, and each card in it, is drawn again only when something of it changes, so that a press or a letter stays
 *  quick with forty lanes. For this everything comes by props, and the hands are always the same object. */

import { type DragEvent, memo, useMemo } from 'react';
import type { Schemas } from '../../api/client';
import { type Clinic } from '../../app/session';
import { plainDate, sinceWords, timesIn } from '../../app/words';
import { cardInset, minuteHeight } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import { Block, blockLooks, CardLine, Held, Now, Pinned } from './boardPieces';
import { type Column, onBoard, sideBySide } from './columns';
import { holdsAll, wordsOf } from './searching';

export type Slot = Schemas['Slot'];
export type Card = Schemas['VisitCard'];

/** What can be done in a lane. */
export type Hands = {
  book: (slot: Slot) => void;
  change: (slot: Slot) => void;
  moveTo: (slot: Slot) => void;
  take: (visit: Card) => void;
  read: (note: Schemas['ScheduleNote']) => void;
  /** A range is dragged over free neighbours and booked as one longer visit. */
  beginRange: (slot: Slot) => void;
  extendRange: (slot: Slot) => void;
  drag: (visit: Card | null) => void;
  isDragging: () => boolean;
  drop: (slot: Slot) => void;
};

/** What holds for all that lies in a lane. */
export type Ground = {
  column: Column;
  /** Minutes of the day between which the board reaches. */
  from: number;
  to: number;
  tight: boolean;
  clinic: Clinic;
  /** The clinic's time, in whole minutes since 1970: a lane need not know it better. */
  nowMinute: number;
  discreet: boolean;
  /** A visit is being moved, and its new time is asked for. */
  moving: boolean;
  mayBook: boolean;
  mayChange: boolean;
  hands: Hands;
};

/** What is marked in a lane; it changes with every press and letter. */
type Marks = {
  /** What is looked for, in small letters; everything else grows faint. */
  wanted: string;
  /** The visit in hand, when it lies in this lane. */
  selected: string | null;
  /** The slots that are being dragged over, when they lie in this lane. */
  range: Slot[];
  /** How far down the lane is drawn, in pixels: at first what is on the screen, then everything. */
  deep: number;
};

const said = (words: (string | false | null | undefined)[]) => words.filter(Boolean).join(' · ');
const minutesBetween = (a: string, b: string) => (new Date(b).getTime() - new Date(a).getTime()) / 60000;

/** Where a stretch of time lies in the lane. */
function placing(p: Ground) {
  const { minutesOfDay } = timesIn(p.clinic.zone);
  return {
    top: (iso: string) => (minutesOfDay(iso) - p.from) * minuteHeight,
    height: (a: string, b: string) => minutesBetween(a, b) * minuteHeight - 2,
    isShown: (a: string, b: string) => minutesOfDay(b) > p.from && minutesOfDay(a) < p.to,
  };
}

const typeOf = (clinic: Clinic, id: string | null | undefined) => clinic.visitTypes.find((t) => t.id === id);

const HeldTime = memo(function HeldTime({ slot, p }: { slot: Slot; p: Ground }) {
  const { time } = timesIn(p.clinic.zone);
  const { top, height } = placing(p);
  const what = slot.heldFor ?? '';
  return (
    <Held
      style={{ top: top(slot.startsAt), height: height(slot.startsAt, slot.endsAt) }}
      disabled={!p.mayChange}
      onClick={() => p.hands.change(slot)}
      data-held
      data-tells={`Held for ${what}, ${time(slot.startsAt)} to ${time(slot.endsAt)} · ${p.column.title}`}
    >
      {what}
    </Held>
  );
});

const FreeSlot = memo(function FreeSlot({ slot, ranged, p }: { slot: Slot; ranged: boolean; p: Ground }) {
  const { time } = timesIn(p.clinic.zone);
  const { top, height } = placing(p);
  const type = typeOf(p.clinic, slot.visitTypeId);
  const [doing, act] = p.moving ? ['Move to', p.hands.moveTo] : ['Book', p.hands.book];
  return (
    <Block
      data-open
      data-ranged={ranged}
      style={{ ...blockLooks(type?.pattern), top: top(slot.startsAt), height: height(slot.startsAt, slot.endsAt) }}
      disabled={!p.mayBook}
      onPointerDown={() => !p.moving && p.hands.beginRange(slot)}
      onPointerEnter={() => p.hands.extendRange(slot)}
      onClick={() => act(slot)}
      onDragOver={(event: DragEvent) => p.hands.isDragging() && event.preventDefault()}
      onDrop={() => p.hands.drop(slot)}
      aria-label={`${doing} ${time(slot.startsAt)} ${type?.name ?? ''}${slot.clinic && ` · ${slot.clinic}`} with ${p.column.title}`}
      data-tells={said([
        `Free ${time(slot.startsAt)} to ${time(slot.endsAt)}`,
        type?.name,
        slot.clinic,
        p.column.title,
        type?.releaseDays != null && `opens ${type.releaseDays} days before`,
        type?.online && 'open to online booking',
      ])}
    >
      {type?.glyph} {time(slot.startsAt)} {!p.tight && type?.name}
      {!p.tight && slot.clinic && ` · ${slot.clinic}`}
    </Block>
  );
});

const nameOf = (card: Card, discreet: boolean) => (discreet ? card.visit.callSign : card.person.name);

function isFound(card: Card, wanted: readonly string[], discreet: boolean) {
  const { visit, person } = card;
  const by = [nameOf(card, discreet), visit.reason, visit.callSign, discreet ? '' : person.recordNumber];
  return holdsAll(by.join(' '), wanted);
}

type VisitShows = {
  card: Card;
  /** Its place among those that take the same time. */
  beside: { at: number; of: number } | undefined;
  faint: boolean;
  selected: boolean;
  p: Ground;
};

/** Which part of the lane a card takes that shares its time. */
const besideLooks = ({ at, of }: { at: number; of: number }) => ({
  left: `calc(${(100 * at) / of}% + ${cardInset})`,
  right: `calc(${100 - (100 * (at + 1)) / of}% + ${cardInset})`,
});

const VisitOnBoard = memo(function VisitOnBoard({ card, beside, faint, selected, p }: VisitShows) {
  const { time } = timesIn(p.clinic.zone);
  const { top, height } = placing(p);
  const { visit, person } = card;
  const now = new Date(p.nowMinute * 60000);
  const behind = minutesBetween(visit.startsAt, now.toISOString());
  const late = visit.stage === 'booked' && behind > 0 ? `${Math.round(behind)} min late` : '';
  const waits = ['here', 'checked_in'].includes(visit.stage) ? sinceWords(visit.stageAt, now) : '';
  // In a tight column the minutes come first, since the end of the line is cut.
  const minutes = (words: string) => words.replace(/ min\b/, '′');
  const told = late || (waits ? `${card.stage} ${waits}` : card.stage);
  const tightly = late ? minutes(late) : `${minutes(waits)} ${card.stage}`.trim();
  // Beside others there is as little room as in a tight column.
  const tight = p.tight || beside !== undefined;
  const type = typeOf(p.clinic, visit.visitTypeId);
  const over = typeOf(p.clinic, visit.overTypeId);
  const name = nameOf(card, p.discreet);
  return (
    <Block
      style={{
        ...blockLooks(type?.pattern, type?.ground),
        top: top(visit.startsAt),
        height: height(visit.startsAt, visit.endsAt),
        ...(beside && besideLooks(beside)),
      }}
      data-over={visit.stage === 'left'}
      data-extra={visit.extra}
      data-faint={faint}
      data-selected={selected}
      data-visit={person.recordNumber}
      draggable={visit.stage === 'booked' && p.mayBook}
      onDragStart={(event) => {
        event.dataTransfer.setData('text/plain', visit.id);
        p.hands.drag(card);
      }}
      onDragEnd={() => p.hands.drag(null)}
      onClick={() => p.hands.take(card)}
      data-tells={said([
        name,
        !p.discreet && person.preferredName && `called ${person.preferredName}`,
        !p.discreet && plainDate(person.birthDate),
        !p.discreet && person.recordNumber,
        visit.reason,
        `${time(visit.startsAt)} to ${time(visit.endsAt)}, ${type?.name ?? ''}`,
        over && `over a ${over.name} slot`,
        visit.extra && (visit.appointment ? 'extra booking' : 'without an appointment'),
        visit.bookingNote && `note: ${visit.bookingNote}`,
        late || card.stage,
        waits && `waits ${waits}`,
      ])}
    >
      <CardLine data-tight={tight}>
        <strong>{name}</strong>
        {!tight && (visit.extra ? 'extra' : person.age)}
      </CardLine>
      <CardLine data-tight={tight}>
        {type?.glyph} <span>{tight ? (visit.extra ? `extra, ${tightly}` : tightly) : told}</span>{' '}
        {!tight && <CompactLine line={card.line} words={false} />}
      </CardLine>
    </Block>
  );
});

/** What lies on the ground of a lane; looked up once, however often something else in the lane changes. */
function useLying(p: Ground) {
  return useMemo(() => {
    const { day, clinicianId } = p.column;
    const { isShown } = placing(p);
    const live = onBoard(day, clinicianId);
    const isTaken = (s: Slot) => live.some((v) => v.visit.startsAt < s.endsAt && v.visit.endsAt > s.startsAt);
    const isPast = (s: Slot) => new Date(s.endsAt).getTime() <= p.nowMinute * 60000;
    const slots = day.slots.filter((s) => s.clinicianId === clinicianId && isShown(s.startsAt, s.endsAt));
    return {
      held: slots.filter((s) => s.heldFor),
      free: slots.filter((s) => !s.heldFor && !isTaken(s) && !isPast(s)),
      beside: sideBySide(live.map((v) => v.visit)),
      visits: live.filter((v) => isShown(v.visit.startsAt, v.visit.endsAt)),
      notes: day.notes.filter((n) => n.clinicianId === clinicianId && isShown(n.at, n.at)),
    };
  }, [p]);
}

export const LaneCards = memo(function LaneCards({ wanted, selected, range, deep, p }: Marks & { p: Ground }) {
  const words = useMemo(() => wordsOf(wanted), [wanted]);
  const { held, free, visits, beside, notes } = useLying(p);
  const { top, isShown } = placing(p);
  const reached = (at: string) => top(at) < deep;
  const nowIso = new Date(p.nowMinute * 60000).toISOString();
  return (
    <>
      {held
        .filter((s) => reached(s.startsAt))
        .map((s) => (
          <HeldTime key={s.id} slot={s} p={p} />
        ))}
      {free
        .filter((s) => reached(s.startsAt))
        .map((s) => (
          <FreeSlot key={s.id} slot={s} ranged={range.includes(s)} p={p} />
        ))}
      {visits
        .filter((v) => reached(v.visit.startsAt))
        .map((v) => (
          <VisitOnBoard
            key={v.visit.id}
            card={v}
            beside={beside.get(v.visit.id)}
            faint={!isFound(v, words, p.discreet)}
            selected={selected === v.visit.id}
            p={p}
          />
        ))}
      {notes
        .filter((n) => reached(n.at))
        .map((n) => (
          <Pinned key={n.id} style={{ top: top(n.at) }} title={n.body} onClick={() => p.hands.read(n)} data-note>
            ✎ {n.body}
          </Pinned>
        ))}
      {p.column.day.day === p.clinic.today && isShown(nowIso, nowIso) && <Now style={{ top: top(nowIso) }} />}
    </>
  );
});
