import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { BrowserRouter } from 'react-router';
import { api, Refusal, setCsrf, useLook } from '../api/client';
import { GlobalStyle } from '../ui/global';
import { forgetUsed } from './CommandBar';
import { forgetEverything } from './kept';
import { openKept } from './lasting';
import { Lock } from './Lock';
import { lockScreen, openScreen, useLocked } from './lock';
import { usePresence } from './presence';
import { SetPassword } from './SetPassword';
import { SignIn } from './SignIn';
import { type InHand, type Me, SessionProvider } from './session';
import { UndoProvider } from './undo';
import { clinic as clinicQuery } from './queries';

// Fetched at once, but nobody waits for it to see where to sign in.
const frame = import('./Frame');
const Frame = lazy(() => frame.then((m) => ({ default: m.Frame })));

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: false,
      retry: (n, error) => n < 2 && error instanceof Refusal && error.problem.status === 0,
    },
  },
});

function SignedIn({ me }: { me: Me }) {
  usePresence(me.lockMinutes, useLocked());
  const clinic = useLook(clinicQuery());
  // A page that is loaded again must not show the names that were hidden.
  const [discreet, setDiscreetNow] = useState(() => sessionStorage.getItem('harbor-discreet') === 'on');
  const setDiscreet = (on: boolean) => {
    sessionStorage.setItem('harbor-discreet', on ? 'on' : 'off');
    setDiscreetNow(on);
  };
  const [siteId, setSiteId] = useState(() => localStorage.getItem('harbor-site') ?? '');
  const [inHand, setInHand] = useState<InHand>(null);
  const [keysOpen, setKeysOpen] = useState(false);
  const [ticks, setTicks] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => setTicks((n) => n + 1), 30_000);
    return () => clearInterval(timer);
  }, []);
  const loadedAt = useMemo(() => (clinic.data ? Date.now() : 0), [clinic.data]);
  if (!clinic.data) return null;
  const base = new Date(clinic.data.now).getTime();
  const now = new Date(clinic.data.clockFixed ? base : base + (ticks >= 0 ? Date.now() - loadedAt : 0));
  const openKeys = () => setKeysOpen(true);
  const site = clinic.data.sites.find((s) => s.id === siteId) ?? clinic.data.sites[0];
  const setSite = (id: string) => {
    localStorage.setItem('harbor-site', id);
    setSiteId(id);
  };
  return (
    <SessionProvider
      value={{ me, clinic: clinic.data, discreet, setDiscreet, site, setSite, inHand, setInHand, now, openKeys }}
    >
      <UndoProvider>
        <Suspense fallback={null}>
          <Frame keysOpen={keysOpen} closeKeys={() => setKeysOpen(false)} />
        </Suspense>
      </UndoProvider>
    </SessionProvider>
  );
}

/** The lock before everything, whoever is behind it. */
function Locked({ login, onOpened }: { login: string; onOpened: () => void }) {
  return useLocked() ? <Lock login={login} onOpened={onOpened} /> : null;
}

function Door() {
  const [me, setMe] = useState<Me | null | undefined>(undefined);
  const [login, setLogin] = useState('');
  const enter = async (found: Me | null) => {
    setCsrf(found?.csrf ?? '');
    forgetEverything();
    forgetUsed();
    // What this person typed before a window was closed is there again before anything is shown.
    if (found) await openKept(found.staff.id, found.draftKey);
    setMe(found);
  };
  useEffect(() => {
    const begin = async () => {
      const session = await api.GET('/api/session').catch(() => undefined);
      if (!session?.data) return void enter(null);
      setLogin(session.data.login);
      if (session.data.locked) lockScreen();
      // Waits until the screen is open.
      const found = await api.GET('/api/me').catch(() => undefined);
      void enter(found?.data ?? null);
    };
    void begin();
    const leave = () => {
      openScreen();
      client.clear();
      void enter(null);
    };
    window.addEventListener('harbor-signed-out', leave);
    return () => window.removeEventListener('harbor-signed-out', leave);
  }, []);
  const lock = <Locked login={me?.staff.login ?? login} onOpened={() => undefined} />;
  if (window.location.pathname === '/set-password') return <SetPassword />;
  if (me === undefined) return lock;
  return me ? (
    <>
      <SignedIn me={me} />
      {lock}
    </>
  ) : (
    <SignIn
      onSignedIn={(found) => {
        client.clear();
        void enter(found);
      }}
    />
  );
}

export function App() {
  return (
    <QueryClientProvider client={client}>
      <GlobalStyle />
      <BrowserRouter>
        <Door />
      </BrowserRouter>
    </QueryClientProvider>
  );
}
