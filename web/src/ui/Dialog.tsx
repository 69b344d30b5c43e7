/** What lies over the work until it is done or left. */

import { X } from 'lucide-react';
import { type ReactNode, useRef } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Button } from './controls';
import { color, corner, dialog, shadow, space } from './tokens';

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

/** A press beside it leaves a dialog only while nothing was typed into it: a slip of the hand costs no work. */
export function Dialog(p: {
  title: string;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
  /** What is typed here is only looked for. */
  light?: boolean;
}) {
  const typed = useRef(false);
  const leave = () => {
    typed.current = false;
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
          <div onInput={() => (typed.current = !p.light)}>{p.children}</div>
        </Inside>
      </Pane>
    </Veil>
  );
}
