/** One bar for people, codes, places and actions, with what was used last. */

import { Search } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { useLook } from '../api/client';
import { Finder } from '../ui/Finder';
import { Dialog } from '../ui/Dialog';
import { Small } from '../ui/layout';
import { color, commandWidth, corner, font, hair, icon, phone, size, space } from '../ui/tokens';
import { useSession } from './session';
import { plainDate, useIdentity } from './words';
import { peopleFound } from '../areas/people/queries';
import { codes as codesFound } from './queries';

const Opener = styled.button`
  display: flex;
  align-items: center;
  gap: ${space(2)};
  flex: 0 1 ${commandWidth};
  min-width: ${space(28)};
  white-space: nowrap;
  overflow: hidden;
  height: ${space(9)};
  padding: 0 ${space(3)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.paper};
  color: ${color.quiet};
  cursor: text;
  text-align: left;
  kbd {
    margin-left: auto;
    white-space: nowrap;
    font: ${size.small} ${font.mono};
    @media (max-width: ${phone}) {
      display: none;
    }
  }
  span {
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
`;

interface Command {
  id: string;
  text: string;
  detail: string;
  to: string;
}

const places: Command[] = [
  { id: 'a-today', text: 'Today', detail: 'place', to: '/today' },
  { id: 'a-schedule', text: 'Schedule', detail: 'place', to: '/schedule' },
  { id: 'a-open', text: 'Open times', detail: 'action', to: '/schedule?open=1' },
  { id: 'a-clinic', text: 'In clinic', detail: 'place', to: '/in-clinic' },
  { id: 'a-new', text: 'New person', detail: 'action', to: '/people?new=1' },
  { id: 'a-people', text: 'People', detail: 'place', to: '/people' },
  { id: 'a-results', text: 'Results', detail: 'place', to: '/results' },
  { id: 'a-billing', text: 'Billing', detail: 'place', to: '/billing' },
];

/** What was used last; a name in it is nothing for discreet mode, nor for who signs in next. */
const remembered = (): Command[] => JSON.parse(sessionStorage.getItem('harbor-last') ?? '[]') as Command[];
export const forgetUsed = () => sessionStorage.removeItem('harbor-last');

export function CommandBar({ open, setOpen }: { open: boolean; setOpen: (open: boolean) => void }) {
  const [text, setText] = useState('');
  const navigate = useNavigate();
  const identity = useIdentity();
  const { me, discreet } = useSession();
  const long = text.trim().length >= 2;
  const people = useLook(peopleFound(text), open && long);
  const codes = useLook(codesFound(text), open && long && me.permissions.includes('see_chart'));
  const matching = places.filter((p) => p.text.toLowerCase().includes(text.trim().toLowerCase()));
  const items: Command[] = long
    ? [
        ...(people.data ?? []).slice(0, 7).map(({ person }) => ({
          id: person.id,
          text: identity(person),
          detail: [person.age, !discreet && plainDate(person.birthDate), !discreet && person.recordNumber]
            .filter(Boolean)
            .join(' · '),
          to: `/people/${person.id}`,
        })),
        ...matching,
        ...(codes.data ?? []).slice(0, 5).map((c) => ({
          id: c.code,
          text: `${c.code}  ${c.title}`,
          detail: 'diagnosis',
          to: `/settings?code=${c.code}`,
        })),
      ]
    : [...(discreet ? [] : remembered()), ...places];
  const take = (command: Command) => {
    const kept = [command, ...remembered().filter((c) => c.id !== command.id)].slice(0, 4);
    if (!command.id.startsWith('a-') && !discreet) sessionStorage.setItem('harbor-last', JSON.stringify(kept));
    setOpen(false);
    setText('');
    navigate(command.to);
  };
  return (
    <>
      <Opener type="button" onClick={() => setOpen(true)}>
        <Search size={icon.small} aria-hidden />
        <span>Find a person, a code, a place</span>
        <kbd aria-hidden>Ctrl K</kbd>
      </Opener>
      <Dialog title="Find or go" light open={open} onClose={() => setOpen(false)}>
        <Finder
          label="Find or go"
          hideLabel
          autoFocus
          value={text}
          onChange={setText}
          placeholder="qua ine 1999, IH-10007, sleep apnea, schedule"
          items={items}
          keyOf={(c) => c.id}
          textOf={(c) => c.text}
          onTake={take}
          render={(c) => (
            <>
              {c.text} <Small>{c.detail}</Small>
            </>
          )}
        />
        {long && items.length === 0 && !people.isFetching && <p>Nothing is found under “{text}”.</p>}
      </Dialog>
    </>
  );
}
