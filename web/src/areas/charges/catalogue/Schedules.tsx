/** Fee schedules: for whose visits each holds, what is asked where it has no price, and the yearly raise. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../../api/client';
import { useMay, useSession } from '../../../app/session';
import { useUndo } from '../../../app/undo';
import { dollars, plainDate } from '../../../app/words';
import { Button, Choose, Field, Pick } from '../../../ui/controls';
import { Dialog } from '../../../ui/Dialog';
import { Form, Refused } from '../../../ui/Form';
import { Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table } from '../../../ui/layout';
import { part } from '../../../ui/tokens';

type View = Schemas['CatalogueView'];
type Schedule = Schemas['ScheduleView'];

const NONE = 'none';

function ScheduleDialog({ one, all, onClose }: { one: Schedule | null; all: Schedule[]; onClose: () => void }) {
  const { clinic } = useSession();
  const s = one?.schedule;
  const ofPayer = !s || s.holdsFor === 'payer';
  const [name, setName] = useState(s?.name ?? '');
  const [payerId, setPayer] = useState(s?.payerId ?? '');
  const [plan, setPlan] = useState(s?.plan ?? '');
  const [fallsBack, setBack] = useState(s ? (s.fallsBack ?? NONE) : 'standard');
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { name, payerId: payerId || null, plan, fallsBack: fallsBack === NONE ? '' : fallsBack };
    const done = s
      ? await run(() => api.PUT('/api/fee-schedules/{code}', { params: { path: { code: s.code } }, body }))
      : await run(() => api.POST('/api/fee-schedules', { body }));
    if (done) onClose();
  };
  const others = all.filter((o) => o.schedule.code !== s?.code);
  return (
    <Dialog title={s ? s.name : 'A new fee schedule'} open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
        {ofPayer && (
          <>
            <Pick
              label="Payer"
              name="payerId"
              value={payerId}
              onChange={setPayer}
              choices={clinic.payers.map((p) => ({ id: p.id, label: p.name }))}
            />
            <Field
              name="plan"
              label="Plan"
              hint="One plan of that payer, as it stands on the policies; empty for all."
              value={plan}
              onChange={setPlan}
            />
          </>
        )}
        <Choose
          label="Where it has no price"
          name="fallsBack"
          value={fallsBack}
          onChange={setBack}
          choices={[
            ...others.map((o) => ({ id: o.schedule.code, label: `as ${o.schedule.name}` })),
            { id: NONE, label: 'the price is missing' },
          ]}
        />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            {s ? 'Save' : 'Add the fee schedule'}
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

const steps = [
  { id: '1', label: 'the cent' },
  { id: '5', label: '0.05' },
  { id: '25', label: '0.25' },
  { id: '50', label: '0.50' },
  { id: '100', label: 'whole dollars' },
];

function RaiseDialog({ one, onClose }: { one: Schedule; onClose: () => void }) {
  const [percent, setPercent] = useState('');
  const [from, setFrom] = useState('');
  const [step, setStep] = useState('100');
  const [preview, setPreview] = useState<Schemas['RaiseAnswer'] | null>(null);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const { code, name } = one.schedule;
  const send = async (checkOnly: boolean) => {
    const body = { percent, from: from || 'today', stepCents: Number(step), checkOnly };
    const done = await run(() => api.POST('/api/fee-schedules/{code}/raise', { params: { path: { code } }, body }));
    if (!done || checkOnly) return setPreview(done ?? null);
    const id = done.change;
    if (id)
      offerUndo(`${name}: new prices from ${plainDate(done.from)}.`, () =>
        api.POST('/api/price-changes/{id}/take-back', { params: { path: { id } } }),
      );
    onClose();
  };
  // What was shown belongs to what was typed then.
  const typed = (set: (v: string) => void) => (v: string) => {
    set(v);
    setPreview(null);
  };
  const changed = preview?.rows.filter((r) => r.afterCents != null) ?? [];
  return (
    <Dialog title={`Raise the prices of ${name}`} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void send(!preview)}>
        <Row $align="flex-start">
          <Field
            name="percent"
            label="By per cent"
            placeholder="3.5"
            value={percent}
            onChange={typed(setPercent)}
            autoFocus
          />
          <Field name="from" label="From" placeholder="1/1/2027" value={from} onChange={typed(setFrom)} />
        </Row>
        <Choose label="Rounded to" name="stepCents" value={step} onChange={typed(setStep)} choices={steps} />
        {preview && (
          <Stack $gap={2}>
            <Notice $tone="tide" role="status">
              Nothing is written yet. From {plainDate(preview.from)} on {changed.length} of {preview.rows.length} prices
              change; what was charged stays.
            </Notice>
            <Scroller style={{ maxHeight: part.list }} tabIndex={0} role="region" aria-label="Prices before and after">
              <Table>
                <thead>
                  <tr>
                    <th>Service</th>
                    <th className="number">Now</th>
                    <th className="number">Then</th>
                    <th />
                  </tr>
                </thead>
                <tbody>
                  {preview.rows.map((r) => (
                    <tr key={r.code} data-raised={r.code}>
                      <td>{r.name}</td>
                      <td className="number">{dollars(r.beforeCents)}</td>
                      <td className="number">{r.afterCents == null ? '' : dollars(r.afterCents)}</td>
                      <td>
                        <Small>{r.sentence}</Small>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Table>
            </Scroller>
          </Stack>
        )}
        <Refused />
        <Row>
          <Spread />
          {preview ? (
            <Button $kind="filled" type="submit" isDisabled={busy || changed.length === 0}>
              Set {changed.length} prices
            </Button>
          ) : (
            <Button $kind="filled" type="submit" isDisabled={busy}>
              Show what would change
            </Button>
          )}
        </Row>
      </Form>
    </Dialog>
  );
}

/** For whose visits a schedule holds, as a sentence part. */
function whose(s: Schedule): string {
  if (s.schedule.holdsFor === 'everybody') return 'everybody';
  if (s.schedule.holdsFor === 'self_pay') return 'who pays for themselves';
  return s.schedule.plan ? `${s.payer ?? ''}, plan ${s.schedule.plan}` : (s.payer ?? '');
}

export function Schedules({ data }: { data: View }) {
  const may = useMay();
  const [open, setOpen] = useState<string | null>(null);
  const [raise, setRaise] = useState<string | null>(null);
  const of = (code: string | null) => data.schedules.find((s) => s.schedule.code === code);
  const name = (code: string | null | undefined) => data.schedules.find((s) => s.schedule.code === code)?.schedule.name;
  const raised = of(raise);
  return (
    <Sheet>
      <Row>
        <h2>Fee schedules</h2>
        <Spread />
        {may('set_prices') && <Button onPress={() => setOpen('')}>Add a fee schedule</Button>}
      </Row>
      <Scroller>
        <Table data-schedules>
          <thead>
            <tr>
              <th>Fee schedule</th>
              <th>Holds for</th>
              <th className="number">Prices of its own</th>
              <th>Where it has none</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {data.schedules.map((s) => (
              <tr key={s.schedule.code} data-schedule={s.schedule.code}>
                <td>{s.schedule.name}</td>
                <td>{whose(s)}</td>
                <td className="number">{s.prices}</td>
                <td>{s.schedule.fallsBack ? `as ${name(s.schedule.fallsBack) ?? ''}` : 'the price is missing'}</td>
                <td style={{ textAlign: 'right' }}>
                  {may('set_prices') && (
                    <>
                      <Button
                        $kind="quiet"
                        onPress={() => setRaise(s.schedule.code)}
                        aria-label={`Raise the prices of ${s.schedule.name}`}
                      >
                        Raise the prices
                      </Button>
                      <Button
                        $kind="quiet"
                        onPress={() => setOpen(s.schedule.code)}
                        aria-label={`Change ${s.schedule.name}`}
                      >
                        Change
                      </Button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroller>
      {open !== null && (
        <ScheduleDialog key={open} one={of(open) ?? null} all={data.schedules} onClose={() => setOpen(null)} />
      )}
      {raised && <RaiseDialog key={raise} one={raised} onClose={() => setRaise(null)} />}
    </Sheet>
  );
}
