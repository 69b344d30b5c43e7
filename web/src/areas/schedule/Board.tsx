/** The board of a day: clinicians as columns on one time axis with a now line. Only what is in sight is drawn. */

import { type DragEvent, type SyntheticEvent, useEffect, useRef, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { plainDate, useIdentity, useTimes } from '../../app/words';
import { Small } from '../../ui/layout';
import { columnPixels, minuteHeight, tightColumnPixels, tightFrom, timeWidth } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import { Grid, HeadCell, Axis, Lane, Now, Block, CardLine, Held, Pinned, Foot } from './boardPieces';
import { type Column, onBoard } from './columns';

type Slot = Schemas['Slot'];
type Card = Schemas['VisitCard'];

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

export function Board(p: BoardShows) {
  const { clinic, now, setInHand, inHand, discreet } = useSession();
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const box = useRef<HTMLDivElement>(null);
  const foot = useRef<HTMLParagraphElement>(null);
  // More clinicians than fit are shown in tight columns, so that the day is still seen whole.
  const tight = p.columns.length >= tightFrom;
  const pixels = tight ? tightColumnPixels : columnPixels;
  const [seen, setSeen] = useState({ first: 0, last: 12 });
  const [range, setRange] = useState<Slot[]>([]);
  const [dragged, setDragged] = useState<Card | null>(null);
  useEffect(() => {
    const look = () => {
      const at = box.current;
      if (!at) return;
      const first = Math.max(0, Math.floor(at.scrollLeft / pixels) - 1);
      const last = first + Math.ceil(at.clientWidth / pixels) + 2;
      setSeen((was) => (was.first === first && was.last === last ? was : { first, last }));
    };
    look();
    const at = box.current;
    at?.addEventListener('scroll', look, { passive: true });
    window.addEventListener('resize', look);
    return () => {
      at?.removeEventListener('scroll', look);
      window.removeEventListener('resize', look);
    };
  }, [pixels]);
  const height = (p.to - p.from) * minuteHeight;
  const nowMinutes = times.minutesOfDay(now.toISOString());
  const top = (iso: string) => (times.minutesOfDay(iso) - p.from) * minuteHeight;
  const tall = (a: string, b: string) => ((new Date(b).getTime() - new Date(a).getTime()) / 60000) * minuteHeight - 2;
  const shown = (a: string, b: string) => times.minutesOfDay(b) > p.from && times.minutesOfDay(a) < p.to;
  const typeOf = (id: string | null | undefined) => clinic.visitTypes.find((t) => t.id === id);
  const hours = Array.from({ length: Math.max(0, Math.ceil((p.to - p.from) / 60)) }, (_, i) => p.from + i * 60);
  const wanted = p.search.trim().toLowerCase();
  const faint = (v: Card) =>
    wanted !== '' &&
    ![identity(v.person, v.visit.callSign), v.visit.reason, v.visit.callSign, discreet ? '' : v.person.recordNumber]
      .join(' ')
      .toLowerCase()
      .includes(wanted);
  // A range is dragged over free neighbours and booked as one longer visit.
  const extend = (slot: Slot) =>
    setRange((was) => {
      const last = was.at(-1);
      return last && last.clinicianId === slot.clinicianId && last.endsAt === slot.startsAt ? [...was, slot] : was;
    });
  const finish = () => {
    const [first] = range;
    const last = range.at(-1);
    setRange([]);
    if (!first || !last || range.length < 2) return;
    p.onBook(first, (new Date(last.endsAt).getTime() - new Date(first.startsAt).getTime()) / 60000);
  };
  const drop = (slot: Slot) => ({
    onDragOver: (event: DragEvent) => dragged && event.preventDefault(),
    onDrop: () => {
      if (dragged) p.onMove(dragged, slot);
      setDragged(null);
    },
  });
  const column = (c: Column) => {
    const live = onBoard(c.day, c.clinicianId);
    return (
      <>
        {c.day.slots
          .filter((s) => s.clinicianId === c.clinicianId && shown(s.startsAt, s.endsAt))
          .map((s) => {
            const style = { top: top(s.startsAt), height: tall(s.startsAt, s.endsAt) };
            if (s.heldFor)
              return (
                <Held
                  key={s.id}
                  style={style}
                  disabled={!may('change_slots')}
                  onClick={() => p.onSlot(s)}
                  data-held
                  data-tells={`Held for ${s.heldFor}, ${times.time(s.startsAt)} to ${times.time(s.endsAt)} · ${c.title}`}
                >
                  {s.heldFor}
                </Held>
              );
            const taken = live.some((v) => v.visit.startsAt < s.endsAt && v.visit.endsAt > s.startsAt);
            if (taken || new Date(s.endsAt) <= now) return null;
            const type = typeOf(s.visitTypeId);
            const doing = p.moving ? 'Move to' : 'Book';
            return (
              <Block
                key={s.id}
                $pattern={type?.pattern ?? ''}
                data-open
                data-ranged={range.includes(s)}
                style={style}
                disabled={!may('book')}
                onPointerDown={() => !p.moving && setRange([s])}
                onPointerEnter={() => range.length > 0 && extend(s)}
                onClick={() => (p.moving ? p.onMove(p.moving, s) : p.onBook(s))}
                aria-label={`${doing} ${times.time(s.startsAt)} ${type?.name ?? ''}${s.clinic && ` · ${s.clinic}`} with ${c.title}`}
                data-tells={[
                  `Free ${times.time(s.startsAt)} to ${times.time(s.endsAt)}`,
                  type?.name,
                  s.clinic,
                  c.title,
                  type?.releaseDays != null && `opens ${type.releaseDays} days before`,
                  type?.online && 'open to online booking',
                ]
                  .filter(Boolean)
                  .join(' · ')}
                {...drop(s)}
              >
                {type?.glyph} {times.time(s.startsAt)} {!tight && type?.name}
                {!tight && s.clinic && ` · ${s.clinic}`}
              </Block>
            );
          })}
        {live
          .filter((v) => shown(v.visit.startsAt, v.visit.endsAt))
          .map((v) => {
            const behind = (now.getTime() - new Date(v.visit.startsAt).getTime()) / 60000;
            const late = v.visit.stage === 'booked' && behind > 0 ? `${Math.round(behind)} min late` : '';
            const waits = ['here', 'checked_in'].includes(v.visit.stage) ? ` ${times.since(v.visit.stageAt)}` : '';
            const type = typeOf(v.visit.visitTypeId);
            const over = typeOf(v.visit.overTypeId);
            return (
              <Block
                key={v.visit.id}
                $pattern={type?.pattern ?? ''}
                $ground={type?.ground}
                style={{ top: top(v.visit.startsAt), height: tall(v.visit.startsAt, v.visit.endsAt) }}
                data-over={v.visit.stage === 'left'}
                data-extra={v.visit.extra}
                data-faint={faint(v)}
                data-selected={inHand !== null && 'visit' in inHand && inHand.visit === v.visit.id}
                data-visit={v.person.recordNumber}
                draggable={v.visit.stage === 'booked' && may('book')}
                onDragStart={(event) => {
                  event.dataTransfer.setData('text/plain', v.visit.id);
                  setDragged(v);
                }}
                onDragEnd={() => setDragged(null)}
                onClick={() => setInHand({ visit: v.visit.id })}
                data-tells={[
                  identity(v.person, v.visit.callSign),
                  !discreet && v.person.preferredName && `called ${v.person.preferredName}`,
                  !discreet && plainDate(v.person.birthDate),
                  !discreet && v.person.recordNumber,
                  v.visit.reason,
                  `${times.time(v.visit.startsAt)} to ${times.time(v.visit.endsAt)}, ${type?.name ?? ''}`,
                  over && `over a ${over.name} slot`,
                  v.visit.extra && (v.visit.appointment ? 'extra booking' : 'without an appointment'),
                  v.visit.bookingNote && `note: ${v.visit.bookingNote}`,
                  late || v.stage,
                  waits && `waits ${waits.trim()}`,
                ]
                  .filter(Boolean)
                  .join(' · ')}
              >
                <CardLine data-tight={tight}>
                  <strong>{identity(v.person, v.visit.callSign)}</strong>
                  {v.visit.extra ? 'extra' : !tight && v.person.age}
                </CardLine>
                <CardLine data-tight={tight}>
                  {type?.glyph} <span>{late || v.stage + waits}</span>{' '}
                  {!tight && <CompactLine line={v.line} words={false} />}
                </CardLine>
              </Block>
            );
          })}
        {c.day.notes
          .filter((n) => n.clinicianId === c.clinicianId && shown(n.at, n.at))
          .map((n) => (
            <Pinned key={n.id} style={{ top: top(n.at) }} title={n.body} onClick={() => p.onNote(n)} data-note>
              ✎ {n.body}
            </Pinned>
          ))}
        {c.day.day === clinic.today && nowMinutes > p.from && nowMinutes < p.to && (
          <Now style={{ top: (nowMinutes - p.from) * minuteHeight }} />
        )}
      </>
    );
  };
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
        onPointerLeave={() => setRange([])}
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
        {p.columns.map((c, at) => (
          <Lane key={c.key} style={{ height }}>
            {at >= seen.first && at <= seen.last && column(c)}
          </Lane>
        ))}
      </Grid>
      <Foot ref={foot} data-foot />
    </>
  );
}
