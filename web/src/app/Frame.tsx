import { Coming } from '../ui/Unanswered';
import { Activity, CalendarDays, FlaskConical, Receipt, Settings as Gear, Sun, Users } from 'lucide-react';
import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { Suspense, useEffect, useRef, useState } from 'react';
import { NavLink, Navigate, Route, Routes, useLocation, useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, setCsrf, useDo, useLook } from '../api/client';
import { Menu } from '../ui/choices';
import { Button } from '../ui/controls';
import { Dialog } from '../ui/Dialog';
import { Page, Mono, Row, Small, Spread, Table, Tag } from '../ui/layout';
import {
  atHandHeight,
  barHeight,
  color,
  companionWidth,
  corner,
  font,
  footHeight,
  hair,
  icon,
  innerCorner,
  narrow,
  phone,
  size,
  space,
  spineWidth,
} from '../ui/tokens';
import { inClinic } from '../areas/arrival/queries';
import { day as scheduleOf } from '../areas/schedule/queries';
import { Arriving } from '../ui/Arriving';
import * as Area from './areas';
import { CommandBar } from './CommandBar';
import { Companion } from './Companion';
import { editHere, stepItem } from './items';
import { useKeys } from './keys';
import { wipeAll } from './lasting';
import { keysAt, keysOfEveryScreen } from './keySheet';
import { mainAction } from './mainAction';
import { useLive } from './live';
import { useLocked } from './lock';
import { Said, useMoveInHand } from './MoveInHand';
import { lockNow } from './presence';
import { useMay, useSession } from './session';
import { Undoing } from './undo';
import { anythingUnsaved } from './useDraft';
import { useTimes } from './words';
import { waitingCount } from './queries';

/** What the server has not got goes with whoever signs out: said first. */
function Losing({ onStay, onLeave }: { onStay: () => void; onLeave: () => void }) {
  return (
    <Dialog title="Not everything is saved" open onClose={onStay}>
      <p>What you typed has not reached the server yet. Signing out takes it away from this machine.</p>
      <Row>
        <Spread />
        <Button onPress={onStay}>Stay</Button>
        <Button $kind="stop" onPress={onLeave}>
          Sign out and lose it
        </Button>
      </Row>
    </Dialog>
  );
}

const Shell = styled.div<{ $folded: boolean }>`
  height: 100%;
  display: grid;
  grid-template:
    'spine top top' ${barHeight} 'spine hand hand' auto 'spine work companion' 1fr 'spine told companion' auto / ${spineWidth} minmax(
      0,
      1fr
    )
    ${(p) => (p.$folded ? '0' : companionWidth)};
  @media (max-width: ${narrow}) {
    grid-template-columns: ${spineWidth} minmax(0, 1fr) 0;
  }
  @media (max-width: ${phone}) {
    grid-template: 'top top' ${barHeight} 'hand hand' auto 'work work' 1fr 'told told' auto 'spine spine' ${footHeight} / 1fr 0;
  }
  @media print {
    display: block;
    > nav,
    > header,
    > aside {
      display: none;
    }
  }
`;

const Spine = styled.nav`
  grid-area: spine;
  background: ${color.spine};
  padding-top: ${space(3)};
  display: flex;
  flex-direction: column;
  gap: ${space(1)};
  a {
    display: flex;
    flex-direction: column;
    align-items: center;
    gap: ${space(0.75)};
    margin: space(0) ${space(1.5)};
    padding: ${space(2)} 0;
    border-radius: ${corner};
    color: ${color.onSpine};
    font-size: ${size.small};
    text-decoration: none;
  }
  a:hover {
    background: ${color.spineHover};
  }
  a.active {
    background: ${color.paper};
    color: ${color.ink};
    font-weight: 600;
  }
  a:focus-visible {
    outline-color: ${color.onSpine};
  }
  @media (max-width: ${phone}) {
    flex-direction: row;
    justify-content: space-around;
    padding: ${space(1)};
    a {
      flex: 1;
      margin: 0;
      padding: ${space(1)} 0;
    }
    a[data-phone='off'] {
      display: none;
    }
  }
`;

const Top = styled.header`
  grid-area: top;
  display: flex;
  align-items: center;
  gap: ${space(4)};
  padding: 0 ${space(5)};
  background: ${color.sheet};
  border-bottom: ${hair};
  min-width: 0;
  > .waiting {
    white-space: nowrap;
  }
  /* How long is for wide screens; the tone says it on all. */
  @media (max-width: ${narrow}) {
    gap: ${space(3)};
    .waiting span span {
      display: none;
    }
  }
  > .when {
    text-align: right;
    line-height: 1.25;
    white-space: nowrap;
  }
  @media (max-width: ${phone}) {
    padding: 0 ${space(3)};
    gap: ${space(2)};
    > .when,
    > [data-phone='off'] {
      display: none;
    }
  }
`;

const Work = styled.main`
  grid-area: work;
  overflow: auto;
  /* What is brought into sight is not hidden behind the quick line. */
  &:has([data-at-hand]) {
    scroll-padding-top: ${atHandHeight};
  }
  position: relative;
`;

/** What is told about the last deed or key: below the work, which it never covers nor pushes down. */
const Told = styled.div`
  grid-area: told;
  @media print {
    display: none;
  }
`;

const Key = styled.kbd`
  font: ${size.small} ${font.mono};
  padding: 0 ${space(1.5)};
  border: ${hair};
  border-radius: ${innerCorner};
  background: ${color.well};
`;

const areas = [
  { to: '/today', word: 'Today', icon: Sun, phone: 'on' },
  { to: '/schedule', word: 'Schedule', icon: CalendarDays, phone: 'on' },
  { to: '/in-clinic', word: 'In clinic', icon: Activity, phone: 'on' },
  { to: '/people', word: 'People', icon: Users, phone: 'on' },
  { to: '/results', word: 'Results', icon: FlaskConical, phone: 'on', needs: 'see_chart' },
  { to: '/billing', word: 'Billing', icon: Receipt, phone: 'on', needs: 'see_charges' },
  { to: '/settings', word: 'Settings', icon: Gear, phone: 'off' },
];

/** What an area asks first, asked with the press and not only when the area is drawn. */
const asksFirst: Record<string, (client: QueryClient, today: string) => unknown> = {
  '/schedule': (client, today) => client.prefetchQuery(scheduleOf(today)),
  '/in-clinic': (client) => client.prefetchQuery(inClinic()),
};

/** How many wait, on every screen; in words when somebody waits too long. */
function Waiting() {
  const look = useLook(waitingCount());
  const c = look.data;
  if (!c) return null;
  return (
    <NavLink to="/in-clinic" className="waiting" data-waiting-count={c.waiting}>
      <Tag $tone={c.wait === 'too_long' ? 'coral' : c.wait === 'long' ? 'brass' : 'plain'}>
        {c.waiting === 0 ? 'nobody waits' : `${c.waiting} waiting`}
        {c.waiting > 0 && c.wait !== 'fine' && <span>, one for {c.longestMinutes} min</span>}
      </Tag>
    </NavLink>
  );
}

export function Frame({ keysOpen, closeKeys }: { keysOpen: boolean; closeKeys: () => void }) {
  const { me, clinic, discreet, setDiscreet, site, setSite, inHand, now, openKeys } = useSession();
  const may = useMay();
  const [commandOpen, setCommandOpen] = useState(false);
  const [folded, setFolded] = useState(false);
  // Not a state: the second key may come before the screen is drawn again after the first.
  const going = useRef(false);
  const navigate = useNavigate();
  const location = useLocation();
  const times = useTimes();
  const { run } = useDo();
  useLive(useLocked(), me.told);
  const moving = useMoveInHand();
  const client = useQueryClient();
  const askAhead = (path: string) => asksFirst[path]?.(client, clinic.today);
  const go = (letter: string, path: string) => ({
    [letter]: () => {
      if (!going.current) return;
      going.current = false;
      askAhead(path);
      navigate(path);
    },
  });
  useKeys(
    {
      'ctrl+k': () => setCommandOpen(true),
      '/': () => setCommandOpen(true),
      '?': openKeys,
      '.': () => void moving.move('next'),
      ',': () => void moving.move('back'),
      '[': () => void stepItem(-1),
      ']': () => void stepItem(1),
      e: () => void editHere(),
      d: () => setDiscreet(!discreet),
      o: () => navigate('/schedule?open=1'),
      g: () => {
        going.current = true;
      },
      ...go('t', '/today'),
      ...go('s', '/schedule'),
      ...go('c', '/in-clinic'),
      ...go('p', '/people'),
      ...go('r', '/results'),
      ...go('b', '/billing'),
      'ctrl+enter': () => {
        const button = mainAction();
        if (button && !button.disabled) button.click();
      },
    },
    'frame',
  );
  const [losing, setLosing] = useState(false);
  const leave = async () => {
    setLosing(false);
    // What waits in the browser goes with its writer; what could not be signed out stays.
    if (await run(() => api.POST('/api/sign-out'))) wipeAll();
    setCsrf('');
    navigate('/today');
    window.dispatchEvent(new Event('harbor-signed-out'));
  };
  useEffect(() => Area.fetchQuietly(), []);
  // A person and the list of people are two places; the parts of a visit are one.
  const [area, ...within] = location.pathname.split('/').slice(1);
  const place = area === 'people' ? `people ${within.length}` : (area ?? '');
  const coming = (
    <Page>
      <Coming rows={8} />
    </Page>
  );
  const mine = areas.filter((a) => !a.needs || me.permissions.includes(a.needs));
  return (
    <Shell $folded={folded || inHand === null}>
      <Spine aria-label="Areas">
        {mine.map(({ to, word, icon: Icon, phone: onPhone }) => (
          <NavLink key={to} to={to} data-phone={onPhone} onClick={() => askAhead(to)}>
            <Icon size={icon.large} aria-hidden />
            {word}
          </NavLink>
        ))}
      </Spine>
      <Top>
        <CommandBar open={commandOpen} setOpen={setCommandOpen} />
        <Spread />
        <Waiting />
        <Button $kind="quiet" data-phone="off" onPress={() => setDiscreet(!discreet)} aria-pressed={discreet}>
          {discreet ? 'Discreet mode is on' : 'Discreet mode'}
        </Button>
        <div className="when">
          <div>{times.day(now.toISOString())}</div>
          <Small>
            <Mono>{times.time(now.toISOString())}</Mono> ·{' '}
            <Menu
              inline
              label={site?.name ?? ''}
              items={clinic.sites.map((s) => ({ id: s.id, label: `Work at ${s.name}`, onChoose: () => setSite(s.id) }))}
            />
          </Small>
        </div>
        <div className="when">
          <div>
            <Menu
              inline
              label={me.staff.name}
              items={[
                { id: 'me', label: 'My sign-in', onChoose: () => navigate('/me') },
                { id: 'lock', label: 'Lock the screen', onChoose: () => void lockNow() },
              ]}
            />
          </div>
          <Small>{me.roleLabel}</Small>
        </div>
        <Button $kind="quiet" onPress={() => (anythingUnsaved() ? setLosing(true) : void leave())}>
          Sign out
        </Button>
      </Top>
      <Work id="work">
        <Suspense fallback={coming}>
          {me.secondFactorWanted ? (
            <Area.MePage />
          ) : (
            <Arriving place={place} frame={coming}>
              <Routes>
                <Route path="/" element={<Navigate to="/today" replace />} />
                <Route path="/today" element={<Area.Today />} />
                <Route path="/schedule" element={<Area.Schedule />} />
                <Route path="/in-clinic" element={<Area.InClinic />} />
                <Route path="/people" element={<Area.People />} />
                <Route path="/people/:id" element={<Area.PersonPage key={location.pathname} />} />
                <Route path="/visits/:id/:part" element={<Area.VisitPage />} />
                <Route path="/visits/:id" element={<Navigate to="note" replace />} />
                <Route path="/results" element={<Area.Results />} />
                <Route path="/billing" element={<Area.Billing />} />
                <Route path="/settings" element={<Area.SettingsPage />} />
                <Route path="/me" element={<Area.MePage />} />
                <Route path="*" element={<Navigate to="/today" replace />} />
              </Routes>
            </Arriving>
          )}
        </Suspense>
      </Work>
      <Told>
        <Said of={moving} />
        <Undoing />
      </Told>
      {inHand && <Companion folded={folded} fold={setFolded} />}
      <Dialog title="Keys" open={keysOpen} onClose={closeKeys}>
        <Table>
          <tbody>
            {[...keysAt(location.pathname, may), ...keysOfEveryScreen].map(({ keys, does }) => (
              <tr key={keys + does} data-key={keys}>
                <td>
                  <Key>{keys}</Key>
                </td>
                <td>{does}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Dialog>
      {losing && <Losing onStay={() => setLosing(false)} onLeave={() => void leave()} />}
    </Shell>
  );
}
