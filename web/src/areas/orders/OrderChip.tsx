/** One order as a chip in its lane: its state, the keys that move it, what it asks, and what does not fit. */

import { useRef, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { Button } from '../../ui/controls';
import { Row, Small, Stack } from '../../ui/layout';
import { color, corner, hair, space, stroke } from '../../ui/tokens';
import { AnswerCame } from './AnswerCame';
import { TakeBack } from './OpenOrders';
import { PaidBy, Paying, SpecimenLine, Taken } from './Paying';
import { LetRepeat } from './Repeats';
import { SayMore } from './SayMore';
import { Soon } from './Soon';

type OrderView = Schemas['OrderView'];
type Diagnosis = { code: string; title: string };

/** A kept fact in the margin: told apart from typed words by its edge. */
export const Chip = styled.div`
  padding: ${space(0.5)} ${space(2)};
  border: ${hair};
  border-left: ${stroke.thick} solid ${color.brass};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: default;
  &[data-sent='true'] {
    border-left-color: ${color.kelp};
  }
`;

/**
 * Lays an order under these diagnoses and no other. Keys come faster than answers: one request waits for the one before, and
 * the next key counts from what is wanted, not from what the screen shows yet.
 */
export function usePlace() {
  const { run, refusal } = useDo();
  const wanted = useRef(new Map<string, string[]>());
  const before = useRef<Promise<unknown>>(Promise.resolve());
  const lies = (o: OrderView) => wanted.current.get(o.order.id) ?? o.codes;
  const place = (order: string, codes: string[]) => {
    wanted.current.set(order, codes);
    before.current = before.current.then(async () => {
      const done = await run(() =>
        api.PUT('/api/orders/{id}/diagnoses', { params: { path: { id: order } }, body: { codes } }),
      );
      // The screen shows it soon after the answer; then what it shows counts again, also what others change.
      const settle = () => wanted.current.get(order) === codes && wanted.current.delete(order);
      if (done) window.setTimeout(settle, 1000);
      else wanted.current.delete(order);
    });
  };
  return { place, lies, refusal };
}

/** Where an order lies after a digit was pressed: under that diagnosis too, or no longer; 0 is all. */
export function toggled(codes: string[], diagnoses: Diagnosis[], digit: number): string[] | null {
  if (digit === 0) return diagnoses.map((d) => d.code);
  const code = diagnoses[digit - 1]?.code;
  if (!code) return null;
  return codes.includes(code) ? codes.filter((c) => c !== code) : [...codes, code];
}

/** Opens a paper in a window of its own. */
const paper = (order: string, what: 'paper' | 'labels') => window.open(`/api/orders/${order}/${what}`, '_blank');

export function OrderChip({ order: o, diagnoses, open }: { order: OrderView; diagnoses: Diagnosis[]; open: boolean }) {
  const may = useMay();
  const { me } = useSession();
  const { run, busy, refusal } = useDo();
  const { place, lies, refusal: misplaced } = usePlace();
  const row = o.order;
  const draft = row.state === 'draft';
  const cancelled = row.state === 'cancelled';
  const [doing, setDoing] = useState<'back' | 'came' | 'taken' | 'repeat' | null>(null);
  // What is asked for before it can go stands open from the start.
  const onPaper = row.kind === 'imaging' || row.kind === 'referral';
  const [saying, setSaying] = useState(
    (draft && onPaper && row.request.question === '') || (draft && o.payer != null && !o.payer.billTo),
  );
  // What goes for all that is taken together is told once; what is not as usual, at each.
  const told = o.containers.length > 0 || saying || (o.payer != null && o.payer.billTo !== 'insurance');
  const path = { params: { path: { id: row.id } } };
  const moves = draft ? open : !cancelled && may('write_note');
  const colleague = draft && row.ordererId !== me.staff.id;
  const close = () => setDoing(null);
  return (
    <Chip
      tabIndex={0}
      role="group"
      aria-label={`${row.testName}, ${o.state}; keys 1 to 9 put it under a diagnosis, 0 under all${o.better ? ', B where it fits better' : ''}`}
      data-order={row.testCode}
      data-sent={!draft}
      data-misfit={o.misfit != null}
      title={row.placementReason}
      onKeyDown={(event) => {
        if (event.target !== event.currentTarget || !moves || event.ctrlKey || event.metaKey || event.altKey) return;
        const codes = /^[0-9]$/.test(event.key)
          ? toggled(lies(o), diagnoses, Number(event.key))
          : event.key.toLowerCase() === 'b' && o.better
            ? [o.better]
            : null;
        if (!codes) return;
        event.preventDefault();
        event.stopPropagation();
        place(row.id, codes);
      }}
    >
      <Row $gap={1} style={{ flexWrap: 'nowrap' }}>
        <span style={{ flex: 1, minWidth: 0, overflowWrap: 'anywhere' }}>{row.testName}</span>
        {((open && draft) || (!draft && !cancelled)) && (
          <Button
            $kind="quiet"
            aria-label={draft ? `Say more with ${row.testName}` : `More of ${row.testName}`}
            aria-expanded={saying}
            onPress={() => setSaying(!saying)}
          >
            …
          </Button>
        )}
        {open && draft && (
          <Button
            $kind="quiet"
            aria-label={`Remove ${row.testName}`}
            onPress={() => void run(() => api.DELETE('/api/orders/{id}', path))}
          >
            ✕
          </Button>
        )}
      </Row>
      <Small style={{ display: 'block' }}>
        {o.state} <Soon priority={row.priority} />
      </Small>
      {row.request.toWhom && <Small style={{ display: 'block' }}>To {row.request.toWhom}</Small>}
      {o.already && (
        <Small style={{ display: 'block' }} data-already>
          ◷ {o.already}
        </Small>
      )}
      {told && <PaidBy order={o} />}
      {!cancelled && <SpecimenLine order={o} />}
      {row.stateReason && <Small style={{ display: 'block' }}>{row.stateReason}</Small>}
      {row.doneBy && <Small style={{ display: 'block' }}>by {row.doneBy}</Small>}
      {row.preparedBy && draft && <Small style={{ display: 'block' }}>Prepared by {row.preparedBy}</Small>}
      {row.takenOverFrom && <Small style={{ display: 'block' }}>Taken over from {row.takenOverFrom}</Small>}
      {o.misfit && !cancelled && (
        <Stack $gap={0}>
          <Small>{o.misfit}</Small>
          {moves && o.better && (
            <Button
              $kind="quiet"
              aria-label={`B · to ${o.better}: ${row.testName}`}
              onPress={() => o.better && place(row.id, [o.better])}
            >
              B · to {o.better}
            </Button>
          )}
        </Stack>
      )}
      {o.codes.length === 0 && row.placementReason && <Small style={{ display: 'block' }}>{row.placementReason}</Small>}
      {colleague && may('write_note') && (
        <Row $gap={1}>
          <Small>Ordered by {row.orderedBy}</Small>
          <Button
            $kind="quiet"
            isDisabled={busy}
            onPress={() => void run(() => api.POST('/api/orders/{id}/taken-over', path))}
          >
            Take over
          </Button>
        </Row>
      )}
      {open && draft && <SayMore order={o} all={saying} />}
      {open && draft && saying && <Paying order={o} />}
      {doing === null && !cancelled && (
        <Row $gap={1}>
          {row.kind === 'procedure' && row.state === 'requested' && may('prepare_orders') && (
            <Button
              $kind="quiet"
              isDisabled={busy}
              aria-label={`${row.testName} is done`}
              onPress={() => void run(() => api.POST('/api/orders/{id}/done', path))}
            >
              Done
            </Button>
          )}
          {o.mayBeTaken && (o.containers.length > 0 || row.takenAt) && may('prepare_orders') && (
            <Button $kind="quiet" aria-label={`Specimen of ${row.testName} taken`} onPress={() => setDoing('taken')}>
              {row.takenAt ? 'Time' : 'Taken'}
            </Button>
          )}
          {may('write_note') && !draft && saying && (
            <Button $kind="quiet" aria-label={`Repeat ${row.testName}`} onPress={() => setDoing('repeat')}>
              Repeat
            </Button>
          )}
          {o.open && onPaper && may('prepare_orders') && (
            <Button $kind="quiet" aria-label={`Answer came: ${row.testName}`} onPress={() => setDoing('came')}>
              Answer came
            </Button>
          )}
          {(onPaper || (!draft && saying)) && (
            <Button
              $kind="quiet"
              aria-label={`${row.kind === 'referral' ? 'Letter' : 'Paper'}: ${row.testName}`}
              onPress={() => paper(row.id, 'paper')}
            >
              {row.kind === 'referral' ? 'Letter' : 'Paper'}
            </Button>
          )}
          {row.requisition && o.open && saying && (
            <Button $kind="quiet" aria-label={`Labels for ${row.testName}`} onPress={() => paper(row.id, 'labels')}>
              Labels
            </Button>
          )}
          {o.open && saying && may('write_note') && (
            <Button $kind="quiet" aria-label={`Take back ${row.testName}`} onPress={() => setDoing('back')}>
              Take back
            </Button>
          )}
        </Row>
      )}
      {doing === 'back' && <TakeBack o={row} close={close} />}
      {doing === 'taken' && <Taken id={row.id} again={row.takenAt != null} close={close} />}
      {doing === 'repeat' && <LetRepeat id={row.id} name={row.testName} close={close} />}
      {doing === 'came' && <AnswerCame o={row} close={close} />}
      {[refusal, misplaced].map(
        (r) =>
          r && (
            <Small key={r.message} role="alert">
              {r.message}
            </Small>
          ),
      )}
    </Chip>
  );
}
