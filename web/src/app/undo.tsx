/** What was done last and can be undone: told in one place on every screen, with its Undo. */

import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from 'react';
import styled from 'styled-components';
import { deeds, useDo } from '../api/client';
import { useSession } from './session';
import { Button } from '../ui/controls';
import { Notice, Row } from '../ui/layout';
import { space } from '../ui/tokens';

type Act = Parameters<ReturnType<typeof useDo>['run']>[0];

interface Done {
  /** What was done, as a sentence. */
  said: string;
  /** Takes it back; without it only the deed is told. */
  undo: Act;
  /** It was said in discreet mode, without a name. */
  discreet: boolean;
}

const Context = createContext<{ last: Done | null; offer: (done: Done | null) => void } | null>(null);

export function UndoProvider({ children }: { children: ReactNode }) {
  const [last, setLast] = useState<Done | null>(null);
  const value = useMemo(() => ({ last, offer: setLast }), [last]);
  // Another deed was done since; one that can be undone offers so after this.
  useEffect(() => {
    const forget = () => setLast(null);
    deeds.addEventListener('done', forget);
    return () => deeds.removeEventListener('done', forget);
  }, []);
  return <Context value={value}>{children}</Context>;
}

/** Offers to undo what was just done. */
export function useUndo() {
  const context = useContext(Context);
  if (!context) throw new Error('outside of the frame');
  const { offer } = context;
  const { discreet } = useSession();
  return useCallback((said: string, undo: Act) => offer({ said, undo, discreet }), [offer, discreet]);
}

/** Takes an older offer away: beside a refusal of the next deed it would be taken for that one's. */
export function useForgetUndo() {
  const offer = useContext(Context)?.offer;
  return useCallback(() => offer?.(null), [offer]);
}

const Strip = styled.div`
  padding: ${space(1)} ${space(5)};
`;

/** Where it is told; it stays until the next deed, or until it is used or closed: nobody is hurried by it. */
export function Undoing() {
  const context = useContext(Context);
  const { run, busy, refusal, forget } = useDo();
  const { discreet } = useSession();
  const last = context?.last ?? null;
  const offer = context?.offer;
  // A refusal is of the deed that it was said of.
  useEffect(() => forget(), [last, forget]);
  if (!last || !offer) return null;
  const said = discreet && !last.discreet ? 'Done.' : last.said;
  const undo = async () => {
    if (await run(last.undo)) offer(null);
  };
  return (
    <Strip>
      <Notice $tone={refusal ? 'coral' : 'kelp'} role="status" data-undo>
        <Row style={{ flexWrap: 'nowrap' }}>
          <span style={{ flex: 1, minWidth: 0 }}>{refusal ? refusal.message : said}</span>
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
