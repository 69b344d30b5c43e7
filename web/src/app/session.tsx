/** Who is signed in, the clinic, what is in hand: shared by every screen. */

import { createContext, useContext } from 'react';
import type { Schemas } from '../api/client';

export type Clinic = Schemas['ClinicView'];
export type Me = Schemas['MeView'];
export type InHand = { visit: string } | { person: string } | null;

export interface Session {
  me: Me;
  clinic: Clinic;
  discreet: boolean;
  setDiscreet: (on: boolean) => void;
  /** Where one works at this machine: whose till, whose rooms. */
  site: Schemas['Site'] | undefined;
  setSite: (id: string) => void;
  inHand: InHand;
  setInHand: (what: InHand) => void;
  /** The clinic's time now; it stands still when the clock is fixed. */
  now: Date;
  openKeys: () => void;
}

const Context = createContext<Session | null>(null);
export const SessionProvider = Context.Provider;

export function useSession(): Session {
  const session = useContext(Context);
  if (!session) throw new Error('outside of a session');
  return session;
}

export function useMay() {
  const { me } = useSession();
  return (permission: string) => me.permissions.includes(permission);
}
