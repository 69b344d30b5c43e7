/** What was done last and can be undone: told in one place on every screen, with its Undo. */

import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from 'react';
import { useLocation } from 'react-router';
import styled from 'styled-components';
import { useDo } from '../api/client';
import { Button } from '../ui/controls';
import { Notice, Row, Spread } from '../ui/layout';
import { space } from '../ui/tokens';

type Act = Parameters<ReturnType<typeof useDo>['run']>[0];

interface Done {
  /** What was done, as a sentence. */
  said: string;
  /** Takes it back; without it only the deed is told. */
  undo: Act;
}

const Context = createContext<{ last: Done | null; offer: (done: Done | null) => void } | null>(null);

export function UndoProvider({ children }: { children: ReactNode }) {
  const [last, setLast] = useState<Done | null>(null);
  const value = useMemo(() => ({ last, offer: setLast }), [last]);
  return <Context value={value}>{children}</Context>;
}

/** Offers to undo what was just done. */
export function useUndo() {
  const context = useContext(Context);
  if (!context) throw new Error('outside of the frame');
  const { offer } = context;
  return useCallback((said: string, undo: Act) => offer({ said, undo }), [offer]);
}

const Strip = styled.div`
  position: sticky;
  bottom: 0;
  z-index: 10;
  padding: 0 ${space(5)} ${space(2)};
`;

/** Where it is told; it goes with the screen, with the next deed, and when it was used. */
export function Undoing() {
  const context = useContext(Context);
  const { run, busy, refusal, forget } = useDo();
  const { pathname } = useLocation();
  const [at, setAt] = useState(pathname);
  const last = context?.last ?? null;
  const offer = context?.offer;
  useEffect(() => {
    forget();
    setAt(pathname);
    // A deed opens its own screen often enough: it is told there, and goes with the one after.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [last]);
  useEffect(() => {
    if (last && pathname !== at) {
      const timer = window.setTimeout(() => offer?.(null), 20_000);
      return () => window.clearTimeout(timer);
    }
    return undefined;
  }, [pathname, at, last, offer]);
  if (!last || !offer) return null;
  const undo = async () => {
    if (await run(last.undo)) offer(null);
  };
  return (
    <Strip>
      <Notice $tone={refusal ? 'coral' : 'kelp'} role="status" data-undo>
        <Row>
          <span>{refusal ? refusal.message : last.said}</span>
          <Spread />
          {!refusal && (
            <Button isDisabled={busy} onPress={() => void undo()}>
              Undo
            </Button>
          )}
          <Button $kind="quiet" onPress={() => offer(null)}>
            Close
          </Button>
        </Row>
      </Notice>
    </Strip>
  );
}
