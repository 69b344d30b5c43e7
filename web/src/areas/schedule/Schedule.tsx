/** The day: clinicians as columns on one time axis with a now line. */

import { useState } from 'react';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useLook } from '../../api/client';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Empty, Notice, Row, Small, Spread } from '../../ui/layout';
import {
  cardInset,
  color,
  columnHead,
  columnWidth,
  edgeWidth,
  font,
  hair,
  hatch,
  innerCorner,
  minuteHeight,
  phone,
  ringGap,
  size,
  space,
  timeWidth,
} from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import { BookDialog } from './BookDialog';
import { OpenTimes } from './OpenTimes';

type Slot = Schemas['Slot'];

const Bar = styled.div`
  padding: ${space(4)} ${space(5)} ${space(3)};
`;

const Board = styled.div`
  display: grid;
  overflow: auto;
  position: absolute;
  inset: ${columnHead} 0 0 0;
  padding: 0 ${space(5)} ${space(6)};
`;

const HeadCell = styled.div`
  position: sticky;
  top: 0;
  z-index: 4;
  background: ${color.paper};
  border-bottom: ${hair};
  padding: ${space(1.5)} ${space(2)};
  line-height: 1.25;
  strong {
    display: block;
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
`;

const Axis = styled.div`
  position: sticky;
  left: 0;
  z-index: 3;
  background: ${color.paper};
  span {
    position: absolute;
    right: ${space(2)};
    transform: translateY(-50%);
    font: ${size.small} ${font.mono};
    color: ${color.quiet};
  }
`;

const Column = styled.div`
  position: relative;
  border-left: ${hair};
  min-width: 0;
`;

const Now = styled.div`
  position: absolute;
  left: 0;
  right: 0;
  z-index: 2;
  height: 0;
  border-top: ${ringGap} solid ${color.coral};
  pointer-events: none;
`;

const edge: Record<string, string> = {
  solid: 'solid',
  double: 'double',
  dashed: 'dashed',
  dotted: 'dotted',
  ridge: 'ridge',
  thin: 'solid',
};

const Block = styled.button<{ $pattern: string }>`
  position: absolute;
  left: ${cardInset};
  right: ${cardInset};
  overflow: hidden;
  padding: ${space(0.5)} ${space(2)};
  text-align: left;
  border: ${hair};
  border-left: ${edgeWidth} ${(p) => edge[p.$pattern] ?? 'solid'} ${color.indigo};
  border-radius: ${innerCorner};
  background: ${color.sheet};
  cursor: pointer;
  line-height: 1.25;
  font-size: ${size.small};
  &:hover,
  &[data-selected='true'] {
    background: ${color.selected};
    z-index: 2;
  }
  &[data-open='true'] {
    background: transparent;
    border-style: dashed;
    border-left-style: ${(p) => edge[p.$pattern] ?? 'solid'};
    border-left-color: ${color.line};
    color: ${color.quiet};
  }
  &[data-open='true']:hover {
    border-color: ${color.indigo};
    color: ${color.indigo};
    background: ${color.sheet};
  }
  &[data-over='true'] {
    opacity: 0.8;
  }
`;

/** The name gives way, the age and the stage do not. */
const CardLine = styled.div`
  display: flex;
  align-items: center;
  gap: ${space(1)};
  white-space: nowrap;
  overflow: hidden;
  strong {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    font-size: ${size.body};
    font-weight: 600;
  }
`;

const Held = styled.div`
  position: absolute;
  left: ${cardInset};
  right: ${cardInset};
  border-radius: ${innerCorner};
  padding: ${space(0.5)} ${space(2)};
  font-size: ${size.small};
  color: ${color.quiet};
  background: ${hatch(color.well)};
`;

const stageWord: Record<string, string> = {
  booked: 'booked',
  here: 'here',
  checked_in: 'checked in',
  in_room: 'in room',
  with_clinician: 'with clinician',
  ready_to_leave: 'ready to leave',
  left: 'left',
};

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

const Wide = styled.div`
  width: ${space(42)};
  @media (max-width: ${phone}) {
    display: none;
  }
`;

const Legend = styled(Row)`
  font-size: ${size.small};
  color: ${color.quiet};
`;

export default function Schedule() {
  const { clinic, now, setInHand, inHand, discreet } = useSession();
  const [params, setParams] = useSearchParams();
  const day = params.get('day') ?? clinic.today;
  const [typed, setTyped] = useState('');
  const [slot, setSlot] = useState<Slot | null>(null);
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const look = useLook(['schedule', day], () => api.GET('/api/schedule', { params: { query: { day } } }));
  const understood = useLook(
    ['date', typed],
    () => api.GET('/api/dates', { params: { query: { text: typed, sense: '' } } }),
    typed.length > 1,
  );
  const show = (date: string) => setParams({ day: date });
  const shift = (days: number) => {
    const moved = new Date(`${day}T12:00:00Z`);
    moved.setUTCDate(moved.getUTCDate() + days);
    show(moved.toISOString().slice(0, 10));
  };
  useKeys({ '[': () => shift(-1), ']': () => shift(1) });
  const openTimes = params.get('open') !== null;
  const data = look.data;
  const clinicians = clinic.staff.filter(
    (s) => s.role === 'clinician' && data?.shifts.some((shiftRow) => shiftRow.clinicianId === s.id),
  );
  const starts = data?.shifts.map((s) => times.minutesOfDay(s.startsAt)) ?? [];
  const ends = data?.shifts.map((s) => times.minutesOfDay(s.endsAt)) ?? [];
  const from = Math.min(...starts, 24 * 60);
  const to = Math.max(...ends, from);
  const height = (to - from) * minuteHeight;
  const nowMinutes = times.minutesOfDay(now.toISOString());
  const top = (iso: string) => (times.minutesOfDay(iso) - from) * minuteHeight;
  const tall = (a: string, b: string) => ((new Date(b).getTime() - new Date(a).getTime()) / 60000) * minuteHeight - 2;
  const typeOf = (id: string | null | undefined) => clinic.visitTypes.find((t) => t.id === id);
  const live = data?.visits.filter((v) => v.visit.stage !== 'cancelled') ?? [];
  const hours = Array.from({ length: Math.max(0, Math.ceil((to - from) / 60)) }, (_, i) => from + i * 60);
  return (
    <>
      <Bar>
        <Row $gap={2} style={{ flexWrap: 'nowrap' }}>
          <Day data-short={data ? times.day(`${day}T17:00:00Z`) : ''}>{data?.words ?? ''}</Day>
          <Spread />
          <Wide>
            <Field
              label="Go to a day"
              hideLabel
              value={typed}
              onChange={setTyped}
              placeholder="Go to: fri, +2w"
              onKeyDown={(e) => {
                if (e.key === 'Enter' && understood.data) {
                  show(understood.data.date);
                  setTyped('');
                }
              }}
            />
          </Wide>
          <Button onPress={() => shift(-1)} aria-label="Day before">
            ‹
          </Button>
          <Button onPress={() => show(clinic.today)}>Today</Button>
          <Button onPress={() => shift(1)} aria-label="Day after">
            ›
          </Button>
          <Button onPress={() => setParams({ day, open: '1' })}>Open times</Button>
        </Row>
        <Legend $gap={4}>
          {typed.length > 1 && <span>{understood.data?.words ?? understood.error?.message ?? ''}</span>}
        </Legend>
      </Bar>
      {data && clinicians.length === 0 && (
        <Bar>
          <Empty>Nobody works on this day. Choose another one, or look for open times.</Empty>
        </Bar>
      )}
      {look.error && (
        <Bar>
          <Notice $tone="coral">{look.error.message}</Notice>
        </Bar>
      )}
      {clinicians.length > 0 && (
        <Board
          style={{ gridTemplateColumns: `${timeWidth} repeat(${clinicians.length}, minmax(${columnWidth}, 1fr))` }}
          // Keyboard users scroll the board like any other region.
          tabIndex={0}
          role="region"
          aria-label="Schedule of the day"
        >
          <HeadCell style={{ left: 0, zIndex: 5 }} />
          {clinicians.map((c) => {
            const site = data?.shifts.find((s) => s.clinicianId === c.id)?.siteId;
            return (
              <HeadCell key={c.id}>
                <strong>{c.name}</strong>
                <Small>
                  {clinic.sites.find((s) => s.id === site)?.name} ·{' '}
                  {live.filter((v) => v.visit.clinicianId === c.id).length} visits
                </Small>
              </HeadCell>
            );
          })}
          <Axis style={{ height }}>
            {hours.map((m) => (
              <span key={m} style={{ top: Math.max(9, (m - from) * minuteHeight) }}>
                {String(Math.floor(m / 60)).padStart(2, '0')}:00
              </span>
            ))}
          </Axis>
          {clinicians.map((c) => (
            <Column key={c.id} style={{ height }}>
              {data?.slots
                .filter((s) => s.clinicianId === c.id)
                .map((s) => {
                  const style = { top: top(s.startsAt), height: tall(s.startsAt, s.endsAt) };
                  if (s.heldFor)
                    return (
                      <Held key={s.id} style={style}>
                        {s.heldFor}
                      </Held>
                    );
                  const taken = live.some(
                    (v) => v.visit.clinicianId === c.id && v.visit.startsAt < s.endsAt && v.visit.endsAt > s.startsAt,
                  );
                  const past = new Date(s.endsAt) <= now;
                  const type = typeOf(s.visitTypeId);
                  if (taken || past) return null;
                  return (
                    <Block
                      key={s.id}
                      $pattern={type?.pattern ?? ''}
                      data-open
                      style={style}
                      disabled={!may('book')}
                      onClick={() => setSlot(s)}
                      aria-label={`Book ${times.time(s.startsAt)} ${type?.name ?? ''} with ${c.name}`}
                    >
                      {type?.glyph} {times.time(s.startsAt)} {type?.name}
                    </Block>
                  );
                })}
              {live
                .filter((v) => v.visit.clinicianId === c.id)
                .map((v) => {
                  const late =
                    v.visit.stage === 'booked' && new Date(v.visit.startsAt) < now
                      ? `${Math.round((now.getTime() - new Date(v.visit.startsAt).getTime()) / 60000)} min late`
                      : '';
                  const type = typeOf(v.visit.visitTypeId);
                  return (
                    <Block
                      key={v.visit.id}
                      $pattern={type?.pattern ?? ''}
                      style={{ top: top(v.visit.startsAt), height: tall(v.visit.startsAt, v.visit.endsAt) }}
                      data-over={v.visit.stage === 'left'}
                      data-selected={inHand !== null && 'visit' in inHand && inHand.visit === v.visit.id}
                      data-visit={v.person.recordNumber}
                      onClick={() => setInHand({ visit: v.visit.id })}
                      title={[!discreet && v.person.recordNumber, v.visit.reason, v.visit.bookingNote]
                        .filter(Boolean)
                        .join(' · ')}
                    >
                      <CardLine>
                        <strong>{identity(v.person, v.visit.callSign)}</strong>
                        {v.person.age}
                      </CardLine>
                      <CardLine>
                        {type?.glyph} {late || stageWord[v.visit.stage] || v.visit.stage}{' '}
                        <CompactLine line={v.line} words={false} />
                      </CardLine>
                    </Block>
                  );
                })}
              {day === clinic.today && nowMinutes > from && nowMinutes < to && (
                <Now style={{ top: (nowMinutes - from) * minuteHeight }} />
              )}
            </Column>
          ))}
        </Board>
      )}
      {slot && <BookDialog slot={slot} onClose={() => setSlot(null)} onOther={setSlot} />}
      {openTimes && (
        <OpenTimes
          from={day}
          onClose={() => setParams({ day })}
          onTake={(s) => {
            setParams({ day });
            setSlot(s);
          }}
        />
      )}
    </>
  );
}
