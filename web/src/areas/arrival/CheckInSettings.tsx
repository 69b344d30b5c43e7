/** How a clinic checks in: the steps and their order, what is alerted to, what is signed. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Notice, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { Changeable, SaveRow } from '../house/Changeable';
import { space } from '../../ui/tokens';
import { checkInSettings } from './queries';

type View = Schemas['CheckInSettings'];
type Rule = Schemas['RuleView'];
type Condition = Schemas['ConditionView'];

function Walk({ view, type }: { view: View; type: string }) {
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const own = view.walks.find((w) => w.visitTypeId === type)?.steps;
  const steps = type === 'all' ? view.usual : (own ?? view.usual);
  const save = (next: string[]) =>
    void run(() =>
      api.PUT('/api/settings/check-in/walk', { body: { visitTypeId: type === 'all' ? null : type, steps: next } }),
    );
  const label = (id: string) => view.steps.find((s) => s.id === id)?.label ?? id;
  const swap = (n: number, by: number) => {
    const next = [...steps];
    const [one] = next.splice(n, 1);
    if (one) next.splice(n + by, 0, one);
    save(next);
  };
  const left = view.steps.filter((s) => !(steps as string[]).includes(s.id));
  return (
    <Stack $gap={2}>
      {type !== 'all' && !own && <Small>As all others. Change it here and it has a walk of its own.</Small>}
      {steps.map((s, n) => (
        <Row key={s} data-walk-step={s}>
          <Small>{n + 1}</Small>
          <span>{label(s)}</span>
          <Spread />
          {may('set_clinic') && (
            <>
              <Button
                $kind="quiet"
                isDisabled={busy || n === 0}
                aria-label={`${label(s)} earlier`}
                onPress={() => swap(n, -1)}
              >
                ↑
              </Button>
              <Button
                $kind="quiet"
                isDisabled={busy || n === steps.length - 1}
                aria-label={`${label(s)} later`}
                onPress={() => swap(n, 1)}
              >
                ↓
              </Button>
              <Button
                $kind="quiet"
                isDisabled={busy || steps.length === 1}
                aria-label={`Leave out ${label(s)}`}
                onPress={() => save(steps.filter((x) => x !== s))}
              >
                Leave out
              </Button>
            </>
          )}
        </Row>
      ))}
      {may('set_clinic') && (
        <Row>
          {left.map((s) => (
            <Button key={s.id} onPress={() => save([...steps, s.id])} aria-label={`Add ${s.label}`}>
              Add {s.label}
            </Button>
          ))}
          {type !== 'all' && own && (
            <Button $kind="quiet" onPress={() => save([])}>
              As all others again
            </Button>
          )}
        </Row>
      )}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
    </Stack>
  );
}

const bare = ['self_pay', 'no_coverage', 'chart_alert', 'restricted'];

function RuleDialog({ view, old, onClose }: { view: View; old: Rule | null; onClose: () => void }) {
  const { clinic } = useSession();
  const { types } = useChoices();
  const [id] = useState(old?.id ?? crypto.randomUUID());
  const [sentence, setSentence] = useState(old?.sentence ?? '');
  const [conditions, setConditions] = useState<Condition[]>(old?.conditions ?? [{ kind: 'self_pay', value: '' }]);
  const { run, busy, refusal } = useDo();
  const set = (n: number, change: Partial<Condition>) =>
    setConditions(conditions.map((c, at) => (at === n ? { ...c, ...change } : c)));
  const choicesOf = (kind: string) =>
    kind === 'payer'
      ? clinic.payers.map((p) => ({ id: p.id, label: p.name }))
      : kind === 'form_missing'
        ? view.forms.map((f) => ({ id: f.id, label: f.name }))
        : kind === 'visit_type'
          ? types
          : null;
  const save = async (active: boolean) => {
    const body = { sentence, conditions, active };
    if (await run(() => api.PUT('/api/settings/alerts/{id}', { params: { path: { id } }, body }))) onClose();
  };
  return (
    <Dialog title={old ? 'Change the alert' : 'New alert'} open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Field
          name="sentence"
          label="What is to be read at check-in"
          value={sentence}
          onChange={setSentence}
          autoFocus
        />
        <Small>It is shown for whoever fits all of these:</Small>
        {conditions.map((c, n) => {
          const choices = choicesOf(c.kind);
          return (
            <Row key={n} $align="end">
              <Pick
                label="The patient"
                hideLabel={n > 0}
                value={c.kind}
                onChange={(kind) => set(n, { kind, value: '' })}
                choices={view.kinds}
              />
              {choices ? (
                <Pick
                  label="which"
                  hideLabel={n > 0}
                  value={c.value || null}
                  onChange={(value) => set(n, { value })}
                  choices={choices}
                />
              ) : (
                !bare.includes(c.kind) && (
                  <Field
                    label="how much"
                    hideLabel={n > 0}
                    value={c.value ?? ''}
                    onChange={(value) => set(n, { value })}
                  />
                )
              )}
              {conditions.length > 1 && (
                <Button $kind="quiet" onPress={() => setConditions(conditions.filter((_, at) => at !== n))}>
                  Leave out
                </Button>
              )}
            </Row>
          );
        })}
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.fault('conditions') ?? refusal.message}
          </Notice>
        )}
        <SaveRow what="alert" old={old !== null} busy={busy} save={(active) => void save(active)}>
          <Button $kind="quiet" onPress={() => setConditions([...conditions, { kind: 'age_from', value: '' }])}>
            And also
          </Button>
        </SaveRow>
      </Form>
    </Dialog>
  );
}

function FormDialog({ old, onClose }: { old: Schemas['Form'] | null; onClose: () => void }) {
  const [id] = useState(old?.id ?? crypto.randomUUID());
  const [name, setName] = useState(old?.name ?? '');
  const [body, setBody] = useState(old?.body ?? '');
  const [forEver, setForEver] = useState(old ? old.validMonths == null : false);
  const [months, setMonths] = useState(String(old?.validMonths ?? 12));
  const { run, busy, refusal } = useDo();
  const save = async (active: boolean) => {
    const form = { name, body, validMonths: forEver ? null : Number(months) || 0, active };
    if (await run(() => api.PUT('/api/settings/forms/{id}', { params: { path: { id } }, body: form }))) onClose();
  };
  return (
    <Dialog title={old ? `Change ${old.name}` : 'New form'} open onClose={onClose} wide>
      <Form refusal={refusal}>
        <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
        <Field name="body" label="What is agreed to" value={body} onChange={setBody} lines={8} />
        <Row $align="end">
          <Check label="A signature holds for ever" value={forEver} onChange={setForEver} />
          {!forEver && <Field name="validMonths" label="It holds so many months" value={months} onChange={setMonths} />}
        </Row>
        <Refused />
        <SaveRow what="form" old={old !== null} busy={busy} save={(active) => void save(active)} />
      </Form>
    </Dialog>
  );
}

export function CheckInSettings() {
  const { clinic } = useSession();
  const { types } = useChoices();
  const [type, setType] = useState('all');
  const look = useLook(checkInSettings());
  const view = look.data;
  if (!view) return null;
  const value = (c: Condition) => {
    const named = [
      ...clinic.payers.map((x) => ({ id: x.id, label: x.name })),
      ...view.forms.map((x) => ({ id: x.id, label: x.name })),
      ...types,
    ].find((x) => x.id === c.value);
    if (named) return `: ${named.label}`;
    return c.value ? `: ${c.value}` : '';
  };
  const words = (r: Rule) =>
    r.conditions.map((c) => `${view.kinds.find((k) => k.id === c.kind)?.label}${value(c)}`).join(', and ');
  return (
    <>
      <Sheet>
        <Row style={{ marginBottom: space(3) }}>
          <h2>The walk through check-in</h2>
          <Spread />
          <Pick
            label="Visit type"
            hideLabel
            value={type}
            onChange={setType}
            choices={[{ id: 'all', label: 'All visit types' }, ...types]}
          />
        </Row>
        <Walk key={type} view={view} type={type} />
      </Sheet>
      <Changeable
        title="Alerts"
        create="New alert"
        empty="None. Chart alerts and restricted charts are always shown."
        items={view.rules}
        nameOf={(r) => r.sentence}
        cells={(r) => (
          <>
            <td data-rule>{r.sentence}</td>
            <td>
              <Small>who {words(r)}</Small>
            </td>
          </>
        )}
        dialog={(old, onClose) => <RuleDialog view={view} old={old} onClose={onClose} />}
      />
      <Changeable
        title="Forms to sign"
        create="New form"
        empty="None is asked for."
        items={view.forms}
        nameOf={(f) => f.name}
        cells={(f) => (
          <>
            <td>{f.name}</td>
            <td>
              <Small>{f.validMonths ? `signed every ${f.validMonths} months` : 'signed once'}</Small>
            </td>
          </>
        )}
        dialog={(old, onClose) => <FormDialog old={old} onClose={onClose} />}
      />
    </>
  );
}
