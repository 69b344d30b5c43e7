/** A long list in two steps: what is on the screen at once, the rest when the machine has a moment. */

import { startTransition, useEffect, useState } from 'react';

export function useGradually<T>(list: readonly T[], first = 30): readonly T[] {
  const [whole, setWhole] = useState(false);
  const long = list.length > first;
  useEffect(() => {
    if (!long || whole) return;
    // After the first of it stands on the screen.
    const frame = requestAnimationFrame(() => startTransition(() => setWhole(true)));
    return () => cancelAnimationFrame(frame);
  }, [long, whole]);
  return whole || !long ? list : list.slice(0, first);
}
