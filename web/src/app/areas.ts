/** The areas, each fetched when it is first wanted, or before that in a quiet moment after signing in. */

import { lazy } from 'react';

const parts = {
  Today: () => import('../areas/visit_line/Today'),
  Schedule: () => import('../areas/schedule/Schedule'),
  InClinic: () => import('../areas/arrival/InClinic'),
  People: () => import('../areas/people/People'),
  PersonPage: () => import('../areas/people/PersonPage'),
  VisitPage: () => import('../areas/visit_line/VisitPage'),
  Results: () => import('../areas/orders/Results'),
  Billing: () => import('../areas/claims/Billing'),
  MePage: () => import('../areas/house/Me'),
  SettingsPage: () => import('../areas/house/Settings'),
};

export const Today = lazy(parts.Today);
export const Schedule = lazy(parts.Schedule);
export const InClinic = lazy(parts.InClinic);
export const People = lazy(parts.People);
export const PersonPage = lazy(parts.PersonPage);
export const VisitPage = lazy(parts.VisitPage);
export const Results = lazy(parts.Results);
export const Billing = lazy(parts.Billing);
export const MePage = lazy(parts.MePage);
export const SettingsPage = lazy(parts.SettingsPage);

/** Fetches what is still missing, one part a quiet moment; gives how to stop. */
export function fetchQuietly(): () => void {
  const left = Object.values(parts);
  let stopped = false;
  const next = () => {
    const part = left.shift();
    if (!part || stopped) return;
    // What does not come now comes, or says why not, when it is wanted.
    void part()
      .catch(() => undefined)
      .then(() => requestIdleCallback(next));
  };
  requestIdleCallback(next);
  return () => {
    stopped = true;
  };
}
