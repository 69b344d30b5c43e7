/** A form: what the server refuses is told at its fields, and whatever no field can tell, above the buttons. */

import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from 'react';
import * as Aria from 'react-aria-components';
import type { Refusal } from '../api/client';
import { Notice, Stack } from './layout';

interface Told {
  refusal: Refusal | null;
  /** What no field of the form shows. */
  left: string | null;
}

const Context = createContext<Told>({ refusal: null, left: null });

/** The names of the fields that a form shows. */
const shown = (form: HTMLFormElement) => new Set([...form.elements].map((e) => e.getAttribute('name') ?? ''));

/** Fields that bear the name of what they send show what is wrong with it; `onSave` is what Enter does. */
export function Form(p: { refusal: Refusal | null; onSave?: () => unknown; children: ReactNode }) {
  const form = useRef<HTMLFormElement>(null);
  const [left, setLeft] = useState<string | null>(null);
  const { refusal } = p;
  useEffect(() => {
    if (!refusal || !form.current) return setLeft(null);
    const names = shown(form.current);
    const untold = refusal.problem.fields.filter((f) => !names.has(f.field)).map((f) => f.sentence);
    setLeft(refusal.problem.fields.length === 0 ? refusal.message : untold.join(' ') || null);
  }, [refusal]);
  return (
    <Context value={{ refusal, left }}>
      <Aria.Form
        ref={form}
        // A fault told by the server must not keep the corrected form from being sent again.
        validationBehavior="aria"
        onSubmit={(event) => {
          event.preventDefault();
          p.onSave?.();
        }}
      >
        <Stack $gap={4}>{p.children}</Stack>
      </Aria.Form>
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
