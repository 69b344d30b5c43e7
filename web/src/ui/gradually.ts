/** What is long in two steps: what is on the screen at once, the rest when the machine has a moment. */

import { startTransition, useEffect, useState } from 'react';

/** False at first; true once the first step stands on the screen. */
export function useStands(waits = true): boolean {
  const [stands, setStands] = useState(false);
  useEffect(() => {
    if (!waits || stands) return;
    const frame = requestAnimationFrame(() => startTransition(() => setStands(true)));
    return () => cancelAnimationFrame(frame);
  }, [waits, stands]);
  return stands;
}

export function useGradually<T>(list: readonly T[], first = 30): readonly T[] {
  const long = list.length > first;
  const stands = useStands(long);
  return stands || !long ? list : list.slice(0, first);
}
