/** A form read and signed on the screen: drawn with a finger or a pen, or the name typed in its place. */

import { Form, Refused } from '../../ui/Form';
import { type PointerEvent, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { Button, Check, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Notice, Row, Spread } from '../../ui/layout';
import { color, corner, hair, part, space, stroke } from '../../ui/tokens';

const wide = 600;
const high = 180;

const Text = styled.div`
  max-height: ${part.quay};
  overflow-y: auto;
  background: ${color.well};
  border-radius: ${corner};
  padding: ${space(4)};
  white-space: pre-line;
`;

const Pad = styled.svg`
  width: 100%;
  aspect-ratio: ${wide} / ${high};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  touch-action: none;
  cursor: crosshair;
  polyline {
    fill: none;
    stroke: ${color.ink};
    stroke-width: ${stroke.edge};
    stroke-linecap: round;
    stroke-linejoin: round;
  }
`;

export function SignForm(p: { visit: string; form: Schemas['Form']; signer: string; onClose: () => void }) {
  const [signer, setSigner] = useState(p.signer);
  const [typed, setTyped] = useState(false);
  const [strokes, setStrokes] = useState<number[][][]>([]);
  const [down, setDown] = useState(false);
  const { run, busy, refusal } = useDo();
  const point = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const within = (n: number, most: number) => Math.max(0, Math.min(most, Math.round(n)));
    return [
      within(((event.clientX - box.left) / box.width) * wide, wide),
      within(((event.clientY - box.top) / box.height) * high, high),
    ];
  };
  const sign = async (onPaper: boolean) => {
    const body = { formId: p.form.id, signer, typed, onPaper, strokes: typed || onPaper ? [] : strokes };
    if (await run(() => api.POST('/api/visits/{id}/forms', { params: { path: { id: p.visit } }, body }))) p.onClose();
  };
  return (
    <Dialog title={p.form.name} open onClose={p.onClose} wide>
      <Form refusal={refusal}>
        <Text tabIndex={0} aria-label="What is signed">
          {p.form.body}
        </Text>
        <Field name="signer" label="Who signs" value={signer} onChange={setSigner} />
        {!typed && (
          <Pad
            role="img"
            aria-label="Signature pad"
            viewBox={`0 0 ${wide} ${high}`}
            data-pad
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              setDown(true);
              const at = point(event);
              setStrokes((all) => [...all, [at]]);
            }}
            onPointerMove={(event) => {
              if (!down) return;
              const at = point(event);
              setStrokes((all) => [...all.slice(0, -1), [...(all.at(-1) ?? []), at]]);
            }}
            onPointerUp={() => setDown(false)}
          >
            {strokes.map((s, n) => (
              <polyline key={n} points={s.map((xy) => xy.join(',')).join(' ')} />
            ))}
          </Pad>
        )}
        {refusal?.fault('strokes') && <Notice $tone="coral">{refusal.fault('strokes')}</Notice>}
        <Refused />
        <Row>
          <Check label="Type the name in place of a signature" value={typed} onChange={setTyped} />
          {!typed && strokes.length > 0 && (
            <Button $kind="quiet" onPress={() => setStrokes([])}>
              Clear the pad
            </Button>
          )}
          <Spread />
          <Button $kind="quiet" isDisabled={busy} onPress={() => void sign(true)}>
            Was signed on paper
          </Button>
          <Button $kind="filled" isDisabled={busy} onPress={() => void sign(false)}>
            Sign
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
