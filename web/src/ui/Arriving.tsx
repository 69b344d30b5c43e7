/** The frame of a place at once, and what stands in it as soon as it is there: who pressed sees that it was heard. */

import { type ReactNode, startTransition, useEffect, useState } from 'react';

export function Arriving({ place, frame, children }: { place: string; frame: ReactNode; children: ReactNode }) {
  const [at, setAt] = useState(place);
  useEffect(() => {
    if (at === place) return;
    const painted = requestAnimationFrame(() => startTransition(() => setAt(place)));
    return () => cancelAnimationFrame(painted);
  }, [at, place]);
  return at === place ? children : frame;
}
