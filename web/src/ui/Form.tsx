/** A form: what the server refuses is told at its fields, and whatever no field can tell, above the buttons. */

import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from 'react';
import * as Aria from 'react-aria-components';
import type { Refusal } from '../api/client';
import { Notice, Stack } from './layout';
import { useUnsaved } from './unsaved';

interface Told {
  refusal: Refusal | null;
  /** What no field of the form shows. */
  left: string | null;
}

const Context = createContext<Told>({ refusal: null, left: null });

/** What of a refusal no field in the box shows. */
function useUntold(refusal: Refusal | null, box: React.RefObject<HTMLElement | null>) {
  const [left, setLeft] = useState<string | null>(null);
  useEffect(() => {
    if (!refusal || !box.current) return setLeft(null);
    const shown = new Set([...box.current.querySelectorAll('[name]')].map((e) => e.getAttribute('name')));
    const untold = refusal.problem.fields.filter((f) => !shown.has(f.field)).map((f) => f.sentence);
    setLeft(refusal.problem.fields.length === 0 ? refusal.message : untold.join(' ') || null);
  }, [refusal, box]);
  return left;
}

/** Fields that bear the name of what they send show what is wrong with it; `onSave` is what Enter does. */
export function Form(p: { refusal: Refusal | null; onSave?: () => unknown; children: ReactNode }) {
  const form = useRef<HTMLFormElement>(null);
  const left = useUntold(p.refusal, form);
  const unsaved = useUnsaved();
  useEffect(() => {
    if (p.refusal) unsaved.refused();
  }, [p.refusal, unsaved]);
  return (
    <Context value={{ refusal: p.refusal, left }}>
      <Aria.Form
        ref={form}
        // A fault told by the server must not keep the corrected form from being sent again.
        validationBehavior="aria"
        onSubmit={(event) => {
          event.preventDefault();
          unsaved.sent();
          p.onSave?.();
        }}
      >
        <Stack $gap={4}>{p.children}</Stack>
      </Aria.Form>
    </Context>
  );
}

/** The same for fields that lie within another form, or that Enter does not send. */
export function Faults(p: { refusal: Refusal | null; children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  const left = useUntold(p.refusal, box);
  return (
    <Context value={{ refusal: p.refusal, left }}>
      <div ref={box}>{p.children}</div>
    </Context>
  );
}

/**
 * What the form around heard of a field. It stands until the next answer: React Aria's own `validationErrors` go when the
 * field is left, which moves the button from under the pointer that is about to press it.
 */
export function useFault(name: string | undefined): string | undefined {
  const { refusal } = useContext(Context);
  return name === undefined ? undefined : refusal?.fault(name);
}

/** Why it was not saved, as far as no field says it. */
export function Refused() {
  const { left } = useContext(Context);
  if (!left) return null;
  return (
    <Notice $tone="coral" role="alert">
      {left}
    </Notice>
  );
}
