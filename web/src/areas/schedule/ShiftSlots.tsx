import type { Schemas } from '../../api/client';
import { useChoices } from '../../app/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Notice, Row, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';

/** A run of equal slots, as it is typed. */
export type TypedRun = { count: string; minutes: string; type: string; words: string };

export const noRun: TypedRun = { count: '1', minutes: '20', type: 'held', words: '' };

/** What is held for says what; what is open may be a named clinic. */
export const runForms = (runs: TypedRun[]): Schemas['RunForm'][] =>
  runs.map((r) => ({
    count: Number(r.count) || 0,
    minutes: Number(r.minutes) || 0,
    visitTypeId: r.type === 'held' ? null : r.type,
    heldFor: r.type === 'held' ? r.words : '',
    clinic: r.type === 'held' ? '' : r.words,
  }));

/** The slots of a shift, one run behind the other. */
export function ShiftSlots(p: { runs: TypedRun[]; onChange: (runs: TypedRun[]) => void; fault?: string | undefined }) {
  const choices = useChoices();
  const set = (at: number, change: Partial<TypedRun>) =>
    p.onChange(p.runs.map((r, n) => (n === at ? { ...r, ...change } : r)));
  const types = [{ id: 'held', label: 'Held' }, ...choices.types];
  return (
    <Stack $gap={2} role="group" aria-label="Slots of the shift">
      {p.runs.map((r, n) => (
        <Row key={n} $gap={2} $align="end">
          <div style={{ width: part.count }}>
            <Field label="Slots" hideLabel={n > 0} value={r.count} onChange={(count) => set(n, { count })} />
          </div>
          <div style={{ width: part.count }}>
            <Field label="Minutes" hideLabel={n > 0} value={r.minutes} onChange={(minutes) => set(n, { minutes })} />
          </div>
          <div style={{ width: part.wideField }}>
            <Pick label="For" hideLabel={n > 0} value={r.type} onChange={(type) => set(n, { type })} choices={types} />
          </div>
          <div style={{ flex: 1, minWidth: part.field }}>
            <Field
              label={n === 0 ? 'Held for what, or a named clinic' : r.type === 'held' ? 'Held for' : 'Named clinic'}
              hideLabel={n > 0}
              value={r.words}
              onChange={(words) => set(n, { words })}
              placeholder={r.type === 'held' ? 'held for what' : 'no named clinic'}
            />
          </div>
          <Button
            $kind="quiet"
            aria-label={`Remove run ${n + 1}`}
            onPress={() => p.onChange(p.runs.filter((_, m) => m !== n))}
          >
            ✕
          </Button>
        </Row>
      ))}
      {p.fault && (
        <Notice $tone="coral" role="alert">
          {p.fault}
        </Notice>
      )}
      <Row>
        <Button
          onPress={() => p.onChange([...p.runs, { ...noRun, type: p.runs.at(-1)?.type ?? types[1]?.id ?? 'held' }])}
        >
          More slots
        </Button>
      </Row>
    </Stack>
  );
}
