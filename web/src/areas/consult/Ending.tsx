/** Ending something on a list: with its reason, in place. */

import { useState } from 'react';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import type { Refusal } from '../../api/client';
import { Row } from '../../ui/layout';

/** A button that asks for the reason where it stands; Esc leaves it. */
export function Ending(p: {
  /** What ends, for the button's name. */
  what: string;
  word?: string;
  busy: boolean;
  refusal: Refusal | null;
  onEnd: (reason: string) => Promise<unknown> | unknown;
}) {
  const [asked, setAsked] = useState(false);
  const [reason, setReason] = useState('');
  const word = p.word ?? 'End';
  if (!asked)
    return (
      <Button $kind="quiet" isDisabled={p.busy} aria-label={`${word} ${p.what}`} onPress={() => setAsked(true)}>
        {word}
      </Button>
    );
  return (
    <Form refusal={p.refusal} onSave={() => void p.onEnd(reason)}>
      <Row
        $gap={1}
        onKeyDown={(event) => {
          if (event.key !== 'Escape') return;
          event.stopPropagation();
          setAsked(false);
        }}
      >
        <Field
          label={`Why ${p.what} ends`}
          hideLabel
          name="reason"
          value={reason}
          onChange={setReason}
          placeholder="The reason"
          autoFocus
        />
        <Button type="submit" isDisabled={p.busy || reason.trim() === ''}>
          {word}
        </Button>
      </Row>
      <Refused />
    </Form>
  );
}
