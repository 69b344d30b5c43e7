/** Referrals to the clinic: who sent the patient, what is left of it, and which one a visit is for. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { plainDate } from '../../app/words';
import { Form, Refused } from '../../ui/Form';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Box } from './Policy';
import { referralsFor, referralsOf } from './queries';

type View = Schemas['ReferralView'];

const who = (r: View['referral']) => `${r.fromFirst} ${r.fromLast}`.trim() || `Referral ${r.number}`;

const visitsWord = (n: number) => (n === 1 ? '1 visit' : `${n} visits`);

/** How far it is counted down. */
function counted(v: View): string {
  const parts = [v.used > 0 && `${v.used} used`, v.booked > 0 && `${v.booked} booked`].filter(Boolean).join(', ');
  if (v.referral.visits == null)
    return parts ? `${parts}; how many it allows nobody has told` : 'nobody has told for how many visits';
  return `for ${visitsWord(v.referral.visits)}${parts && `: ${parts}`}, ${v.left ?? 0} left`;
}

function ReferralDialog(p: { person: string; visit?: string | undefined; before: View | null; onClose: () => void }) {
  const { clinic } = useSession();
  const b = p.before?.referral;
  const [typed, setTyped] = useState({
    fromLast: b?.fromLast ?? '',
    fromFirst: b?.fromFirst ?? '',
    fromNpi: b?.fromNpi ?? '',
    question: b?.question ?? '',
    number: b?.number ?? '',
    payerId: b?.payerId ?? null,
    validFrom: b?.validFrom ?? 'today',
    validUntil: b?.validUntil ?? '',
    visits: b?.visits == null ? '' : String(b.visits),
  });
  const [named, setNamed] = useState(true);
  const { run, busy, refusal } = useDo();
  const field = (name: Exclude<keyof typeof typed, 'payerId'>) => ({
    name,
    value: typed[name],
    onChange: (value: string) => setTyped({ ...typed, [name]: value }),
  });
  const save = async () => {
    if (b) {
      const params = { path: { id: b.id } };
      if (await run(() => api.PUT('/api/referrals/{id}', { params, body: typed }))) p.onClose();
      return;
    }
    const params = { path: { id: p.person } };
    const body = { ...typed, forVisit: named ? (p.visit ?? null) : null };
    if (await run(() => api.POST('/api/people/{id}/referrals', { params, body }))) p.onClose();
  };
  return (
    <Dialog title={b ? `Referral of ${who(b)}` : 'A referral to us'} open onClose={p.onClose} wide>
      <Form refusal={refusal} onSave={save}>
        <Columns $min={part.field}>
          <Field label="Referred by, last name" autoFocus {...field('fromLast')} />
          <Field label="First name" {...field('fromFirst')} />
          <Field label="Their provider number" {...field('fromNpi')} />
          <Field label="Payer’s number of the referral" {...field('number')} />
          <Pick
            name="payerId"
            label="For which payer"
            value={typed.payerId ?? 'none'}
            onChange={(id) => setTyped({ ...typed, payerId: id === 'none' ? null : id })}
            choices={[{ id: 'none', label: 'Not said' }, ...clinic.payers.map((x) => ({ id: x.id, label: x.name }))]}
          />
          <Field label="Holds from" {...field('validFrom')} />
          <Field label="Last day" hint="Empty while nobody has told." {...field('validUntil')} />
          <Field label="For how many visits" hint="Empty while nobody has told." {...field('visits')} />
        </Columns>
        <Field label="What is asked" {...field('question')} />
        {p.visit && !b && <Check label="This visit is for it" value={named} onChange={setNamed} />}
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Save the referral
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

export function Referrals(p: { person: string; visit?: string | undefined }) {
  const may = useMay();
  const look = useLook(p.visit ? referralsFor(p.visit) : referralsOf(p.person));
  const [dialog, setDialog] = useState<View | 'new' | null>(null);
  const [past, setPast] = useState(false);
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const { visit } = p;
  const all = look.data ?? [];
  const shown = all.filter((v) => past || v.named || !v.referral.endedAt);
  const end = (v: View, ended: boolean) =>
    api.PUT('/api/referrals/{id}/ended', { params: { path: { id: v.referral.id } }, body: { ended } });
  const takeBack = (v: View) =>
    void run(() => end(v, true)).then(
      (done) => done && offerUndo(`The referral of ${who(v.referral)} is taken back.`, () => end(v, false)),
    );
  const name = (id: string | null) => {
    if (!visit) return;
    const params = { path: { id: visit } };
    void run(() => api.PUT('/api/visits/{id}/referral', { params, body: { referralId: id } }));
  };
  if (!look.data) return null;
  return (
    <Stack $gap={2} data-referrals>
      {shown.map((v) => (
        <Box key={v.referral.id} data-referral={v.referral.fromLast}>
          <Row>
            <strong>{who(v.referral)}</strong>
            {v.payer && <Small>{v.payer}</Small>}
            {v.referral.number && <Mono>{v.referral.number}</Mono>}
            {v.named && <Tag $tone="kelp">this visit is for it</Tag>}
            {v.referral.endedAt && <Tag>taken back</Tag>}
            <Spread />
            {visit && may('edit_coverage') && (
              <Button isDisabled={busy} onPress={() => name(v.named ? null : v.referral.id)}>
                {v.named ? 'This visit is not for it' : 'This visit is for it'}
              </Button>
            )}
            {may('edit_coverage') && (
              <>
                <Button
                  $kind="quiet"
                  onPress={() => setDialog(v)}
                  aria-label={`Change the referral of ${who(v.referral)}`}
                >
                  Change
                </Button>
                {v.referral.endedAt ? (
                  <Button $kind="quiet" isDisabled={busy} onPress={() => void run(() => end(v, false))}>
                    Let it stand again
                  </Button>
                ) : (
                  <Button $kind="quiet" isDisabled={busy} onPress={() => takeBack(v)}>
                    Take back
                  </Button>
                )}
              </>
            )}
          </Row>
          <p>
            From {plainDate(v.referral.validFrom)}
            {v.referral.validUntil ? ` to ${plainDate(v.referral.validUntil)}` : ', last day not told'};{' '}
            <span data-counted>{counted(v)}</span>.{v.referral.question && ` Asked: ${v.referral.question}`}
          </p>
          {v.fault && <Notice $tone="brass">{v.fault}</Notice>}
        </Box>
      ))}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      <Row>
        {may('edit_coverage') && <Button onPress={() => setDialog('new')}>Add a referral to us</Button>}
        {all.some((v) => v.referral.endedAt && !v.named) && (
          <Button $kind="quiet" onPress={() => setPast(!past)} aria-expanded={past}>
            {past ? 'Hide those taken back' : 'Those taken back'}
          </Button>
        )}
      </Row>
      {dialog && (
        <ReferralDialog
          person={p.person}
          visit={p.visit}
          before={dialog === 'new' ? null : dialog}
          onClose={() => setDialog(null)}
        />
      )}
    </Stack>
  );
}
