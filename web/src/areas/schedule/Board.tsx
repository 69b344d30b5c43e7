/** The board of a day: clinicians as columns on one time axis with a now line. Only what is in sight is drawn. */

import { type SyntheticEvent, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useStands } from '../../ui/gradually';
import { Small } from '../../ui/layout';
import { columnPixels, minuteHeight, tightColumnPixels, tightFrom, timeWidth } from '../../ui/tokens';
import { Axis, Foot, Grid, HeadCell, Lane } from './boardPieces';
import type { Column } from './columns';
import { type Card, type Ground, type Hands, LaneCards, type Slot } from './LaneCards';

export type BoardShows = {
  columns: Column[];
  /** Minutes of the day between which the board reaches. */
  from: number;
  to: number;
  /** What is looked for; everything else grows faint. */
  search: string;
  moving: Card | null;
  onBook: (slot: Slot, minutes?: number) => void;
  onSlot: (slot: Slot) => void;
  onMove: (visit: Card, slot: Slot) => void;
  onNote: (note: Schemas['ScheduleNote']) => void;
};

/** The columns in sight, with one more on each side. */
function useInSight(pixels: number) {
  const box = useRef<HTMLDivElement>(null);
  // At first as many as could fit into the window: drawn once, not again after measuring.
  const [sight, setSight] = useState(() => ({ first: 0, last: Math.ceil(window.innerWidth / pixels) }));
  useEffect(() => {
    const at = box.current;
    if (!at) return;
    const look = () => {
      const first = Math.max(0, Math.floor(at.scrollLeft / pixels) - 1);
      const last = first + Math.ceil(at.clientWidth / pixels) + 1;
      setSight((was) => (was.first === first && was.last >= last && was.last <= last + 2 ? was : { first, last }));
    };
    // It tells the width when the layout is done, where asking for it would bring the layout about.
    const resized = new ResizeObserver(look);
    resized.observe(at);
    at.addEventListener('scroll', look, { passive: true });
    return () => {
      resized.disconnect();
      at.removeEventListener('scroll', look);
    };
  }, [pixels]);
  return { box, sight };
}

/** Nothing is dragged over; always the same, so that no lane is drawn again for it. */
const noRange: Slot[] = [];

/** What can be done on the board. The hands stay the same object and always do what the board asks for now. */
function useHands(p: BoardShows) {
  const { setInHand } = useSession();
  const [range, setRange] = useState(noRange);
  const dragged = useRef<Card | null>(null);
  const latest = useRef({ ...p, setInHand });
  useLayoutEffect(() => {
    latest.current = { ...p, setInHand };
  });
  const hands: Hands = useMemo(
    () => ({
      book: (slot) => latest.current.onBook(slot),
      change: (slot) => latest.current.onSlot(slot),
      moveTo: (slot) => latest.current.moving && latest.current.onMove(latest.current.moving, slot),
      take: (card) => latest.current.setInHand({ visit: card.visit.id }),
      read: (note) => latest.current.onNote(note),
      beginRange: (slot) => setRange([slot]),
      extendRange: (slot) =>
        setRange((was) => {
          const last = was.at(-1);
          return last && last.clinicianId === slot.clinicianId && last.endsAt === slot.startsAt ? [...was, slot] : was;
        }),
      drag: (card) => {
        dragged.current = card;
      },
      isDragging: () => dragged.current !== null,
      drop: (slot) => {
        if (dragged.current) latest.current.onMove(dragged.current, slot);
        dragged.current = null;
      },
    }),
    [],
  );
  const leave = () => setRange(noRange);
  const finish = () => {
    const [first] = range;
    const last = range.at(-1);
    leave();
    if (!first || !last || range.length < 2) return;
    p.onBook(first, (new Date(last.endsAt).getTime() - new Date(first.startsAt).getTime()) / 60000);
  };
  return { hands, range, finish, leave };
}

export function Board(p: BoardShows) {
  const { clinic, now, inHand, discreet } = useSession();
  const may = useMay();
  const foot = useRef<HTMLParagraphElement>(null);
  // More clinicians than fit are shown in tight columns, so that the day is still seen whole.
  const tight = p.columns.length >= tightFrom;
  const pixels = tight ? tightColumnPixels : columnPixels;
  const { box, sight } = useInSight(pixels);
  const { hands, range, finish, leave } = useHands(p);
  // What can be on the screen is drawn first, and the rest when that stands.
  const deep = useStands() ? Infinity : window.innerHeight;
  const height = (p.to - p.from) * minuteHeight;
  const hours = Array.from({ length: Math.max(0, Math.ceil((p.to - p.from) / 60)) }, (_, i) => p.from + i * 60);
  const held = inHand !== null && 'visit' in inHand ? inHand.visit : null;
  const lies = (c: Column) => c.day.visits.some((v) => v.visit.id === held && v.visit.clinicianId === c.clinicianId);
  const dragsIn = (c: Column) =>
    range[0] !== undefined && range[0].clinicianId === c.clinicianId && c.day.slots.includes(range[0]);
  const { columns, from, to } = p;
  const moving = p.moving !== null;
  const nowMinute = Math.floor(now.getTime() / 60000);
  const [mayBook, mayChange] = [may('book'), may('change_slots')];
  const grounds: Ground[] = useMemo(() => {
    const all = { from, to, tight, clinic, nowMinute, discreet, moving, mayBook, mayChange, hands };
    return columns.map((column) => ({ ...all, column }));
  }, [columns, from, to, tight, clinic, nowMinute, discreet, moving, mayBook, mayChange, hands]);
  useEffect(() => {
    // What it told stood under names or call-signs that are not shown any more.
    if (foot.current) foot.current.textContent = '';
  }, [discreet]);
  // One line under the board tells everything about what the pointer or the focus is on; written past React,
  // since it follows every move of the pointer.
  const tell = (event: SyntheticEvent) => {
    const on = (event.target as HTMLElement).closest('[data-tells]');
    if (foot.current) foot.current.textContent = on?.getAttribute('data-tells') ?? '';
  };
  return (
    <>
      <Grid
        ref={box}
        onMouseOver={tell}
        onFocus={tell}
        // Wherever a drawn range ends, it ends.
        onPointerUp={finish}
        onPointerLeave={leave}
        style={{ gridTemplateColumns: `${timeWidth} repeat(${p.columns.length}, minmax(${pixels}px, 1fr))` }}
        // Keyboard users scroll the board like any other region.
        tabIndex={0}
        role="region"
        aria-label="Schedule of the day"
      >
        <HeadCell style={{ left: 0, zIndex: 5 }} />
        {p.columns.map((c) => (
          <HeadCell key={c.key}>
            <strong title={c.title}>{tight ? c.short : c.title}</strong>
            <Small>{tight ? c.tightNote : c.note}</Small>
          </HeadCell>
        ))}
        <Axis style={{ height }}>
          {hours.map((m) => (
            <span key={m} style={{ top: Math.max(9, (m - p.from) * minuteHeight) }}>
              {String(Math.floor(m / 60)).padStart(2, '0')}:00
            </span>
          ))}
        </Axis>
        {grounds.map((ground, at) => (
          <Lane key={ground.column.key} data-tight={tight} style={{ height }}>
            {at >= sight.first && at <= sight.last && (
              <LaneCards
                p={ground}
                wanted={p.search.trim().toLowerCase()}
                selected={lies(ground.column) ? held : null}
                range={dragsIn(ground.column) ? range : noRange}
                deep={deep}
              />
            )}
          </Lane>
        ))}
      </Grid>
      <Foot ref={foot} data-foot />
    </>
  );
}
