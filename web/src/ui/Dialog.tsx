/** What lies over the work until it is done or left. */

import { X } from 'lucide-react';
import { type ReactNode, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Button } from './controls';
import { Notice, Row, Spread } from './layout';
import { color, corner, dialog, shadow, space } from './tokens';
import { Unsaved } from './unsaved';

const Veil = styled(Aria.ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 50;
  display: grid;
  place-items: start center;
  padding: 9vh ${space(4)} ${space(4)};
  background: ${color.veil};
  overflow: auto;
`;

const Pane = styled(Aria.Modal)<{ $wide?: boolean }>`
  width: min(${(p) => (p.$wide ? dialog.wide : dialog.usual)}, 100%);
  background: ${color.sheet};
  border-radius: ${corner};
  box-shadow: ${shadow};
`;

const Inside = styled(Aria.Dialog)`
  padding: ${space(5)} ${space(6)} ${space(6)};
  outline: none;
`;

const Head = styled.div`
  display: flex;
  align-items: start;
  gap: ${space(3)};
  margin-bottom: ${space(4)};
  h2 {
    flex: 1;
  }
  /* In line with the title, and in the corner. */
  button {
    margin: -${space(1.5)} -${space(2)} -${space(1.5)} 0;
  }
`;

/** Dialogs with something typed that nobody saved: the page asks before it is left or loaded again. */
const unsaved = new Set<object>();
addEventListener('beforeunload', (event) => {
  if (unsaved.size > 0) event.preventDefault();
});

/** Nothing typed is lost by a slip of the hand: a press beside it does nothing then, and Esc asks. */
export function Dialog(p: {
  title: string;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
  /** What is typed here is only looked for. */
  light?: boolean;
  /** What is typed here is there again when it is opened again. */
  kept?: boolean;
}) {
  const typed = useRef(false);
  const onItsWay = useRef(false);
  const [asking, setAsking] = useState(false);
  const mark = useCallback((now: boolean) => {
    typed.current = now;
    if (now) unsaved.add(typed);
    else unsaved.delete(typed);
  }, []);
  const around = useMemo(
    () => ({
      sent: () => {
        onItsWay.current = typed.current;
        mark(false);
      },
      refused: () => {
        if (onItsWay.current) mark(true);
      },
    }),
    [mark],
  );
  useEffect(() => {
    setAsking(false);
    onItsWay.current = false;
    return () => mark(false);
  }, [p.open, mark]);
  const leave = () => {
    if (typed.current && !p.kept) return setAsking(!asking);
    p.onClose();
  };
  return (
    <Veil
      isOpen={p.open}
      onOpenChange={(open) => !open && leave()}
      isDismissable
      shouldCloseOnInteractOutside={() => !typed.current}
    >
      <Pane $wide={p.wide ?? false} data-print="sheet">
        <Inside>
          <Head>
            <Aria.Heading slot="title" level={2}>
              {p.title}
            </Aria.Heading>
            <Button $kind="quiet" onPress={leave} aria-label="Close this" data-print="off">
              <X size={18} aria-hidden />
            </Button>
          </Head>
          {asking && (
            <Notice $tone="brass" role="alert" style={{ marginBottom: space(4) }}>
              <Row>
                <span>What you typed here is not saved.</span>
                <Spread />
                <Button onPress={p.onClose}>Leave without it</Button>
                <Button autoFocus onPress={() => setAsking(false)}>
                  Go on typing
                </Button>
              </Row>
            </Notice>
          )}
          <Unsaved value={around}>
            <div onInput={() => mark(!p.light)}>{p.children}</div>
          </Unsaved>
        </Inside>
      </Pane>
    </Veil>
  );
}
