/** The bar above the board: which day, which view, and who of it is shown. */

import { useState } from 'react';
import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { useTypedDay } from '../../app/days';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Menu } from '../../ui/choices';
import { Button, Choose, Field, Pick } from '../../ui/controls';
import { Row, Small, Spread } from '../../ui/layout';
import { part, phone, size, space } from '../../ui/tokens';
import { WhoPick } from './Groups';

/** What of the day is shown. */
export type Shown = {
  site: string;
  /** all, morning or afternoon. */
  half: string;
  /** What is over is folded away. */
  folded: boolean;
  /** A group of clinicians, one of them, or all. */
  group: string;
  search: string;
};

export const everything: Shown = { site: 'any', half: 'all', folded: false, group: 'all', search: '' };

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

/** On a phone only what says whose day it is, and which, stays. */
const Wide = styled.div<{ $stays?: boolean }>`
  width: ${space(28)};
  @media (max-width: ${phone}) {
    display: ${(p) => (p.$stays ? 'block' : 'none')};
    flex: 1;
  }
`;

export function DayBar(p: {
  day: string;
  view: string;
  /** The day in words, when it is known. */
  words: string | undefined;
  onGo: (next: Record<string, string | null>) => void;
  /** One day, week or month on, or back. */
  onShift: (by: number) => void;
}) {
  const { clinic } = useSession();
  const times = useTimes();
  const may = useMay();
  const [typed, setTyped] = useState('');
  const understood = useTypedDay(typed);
  const short = times.day(`${p.day}T17:00:00Z`);
  const words = p.words ?? short;
  const more = [
    { id: 'waiting', label: 'Waiting list', shown: may('book') },
    { id: 'told', label: 'Messages and calls', shown: may('book') },
    { id: 'note', label: 'Pin a note to a time', shown: may('book') },
    { id: 'print', label: 'Print the lists', shown: true },
    { id: 'changes', label: 'What changed on this day', shown: true },
    { id: 'groups', label: 'Groups of clinicians', shown: true },
    { id: 'feed', label: 'My days in a calendar', shown: true },
  ]
    .filter((m) => m.shown)
    .map((m) => ({ ...m, onChoose: () => p.onGo({ more: m.id }) }));
  return (
    <>
      <TopRow>
        <Day data-short={short}>
          {p.view === 'month' ? times.month(p.day) : p.view === 'week' ? `Week of ${words}` : words}
        </Day>
        <Spread />
        <Wide $stays>
          <Field
            label="Go to a day"
            hideLabel
            value={typed}
            onChange={setTyped}
            placeholder="fri, +2w"
            onKeyDown={(e) => {
              if (e.key === 'Enter' && understood.day) {
                p.onGo({ day: understood.day });
                setTyped('');
              }
            }}
          />
        </Wide>
        <Button onPress={() => p.onShift(-1)} aria-label="Before">
          ‹
        </Button>
        <Button onPress={() => p.onGo({ day: clinic.today })}>Today</Button>
        <Button onPress={() => p.onShift(1)} aria-label="After">
          ›
        </Button>
        <Button onPress={() => p.onGo({ open: '1' })}>Open times</Button>
        {may('change_slots') && <Button onPress={() => p.onGo({ away: '1' })}>Away</Button>}
        <Menu label="More" items={more} />
      </TopRow>
      {typed.length > 1 && <Small>{understood.words || understood.fault}</Small>}
    </>
  );
}

export function FilterBar(p: {
  day: string;
  view: string;
  onView: (view: string) => void;
  shown: Shown;
  onShown: (next: Partial<Shown>) => void;
  /** Whose week or month it is. */
  chosen: string;
  onChosen: (clinician: string) => void;
  groups: Schemas['ClinicianGroup'][];
}) {
  const { clinic } = useSession();
  const { shown } = p;
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  return (
    <Row $gap={2} style={{ marginTop: space(2) }}>
      <Choose
        label="View"
        hideLabel
        value={p.view}
        onChange={p.onView}
        choices={[
          { id: 'day', label: 'Day' },
          { id: 'week', label: 'Week' },
          { id: 'month', label: 'Month' },
        ]}
      />
      {p.view !== 'day' && (
        <Wide $stays style={{ width: part.list }}>
          <Pick
            label="Clinician"
            hideLabel
            value={p.chosen}
            onChange={p.onChosen}
            choices={clinicians.map((c) => ({ id: c.id, label: c.name }))}
          />
        </Wide>
      )}
      {p.view === 'day' && (
        <>
          <Wide $stays>
            <WhoPick groups={p.groups} value={shown.group} onChange={(group) => p.onShown({ group })} />
          </Wide>
          <Wide>
            <Pick
              label="Site"
              hideLabel
              value={shown.site}
              onChange={(site) => p.onShown({ site })}
              choices={[{ id: 'any', label: 'All sites' }, ...clinic.sites.map((s) => ({ id: s.id, label: s.name }))]}
            />
          </Wide>
          <Wide>
            <Pick
              label="Part of the day"
              hideLabel
              value={shown.half}
              onChange={(half) => p.onShown({ half })}
              choices={[
                { id: 'all', label: 'Whole day' },
                { id: 'morning', label: 'Morning' },
                { id: 'afternoon', label: 'Afternoon' },
              ]}
            />
          </Wide>
          {p.day === clinic.today && (
            <Button onPress={() => p.onShown({ folded: !shown.folded })} aria-pressed={shown.folded}>
              {shown.folded ? 'Show past' : 'Fold past'}
            </Button>
          )}
        </>
      )}
      {p.view !== 'month' && (
        <Wide>
          <Field
            label="Find in what is shown"
            hideLabel
            value={shown.search}
            onChange={(search) => p.onShown({ search })}
            placeholder="Find here"
          />
        </Wide>
      )}
    </Row>
  );
}
