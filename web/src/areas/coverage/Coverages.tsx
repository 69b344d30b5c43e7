/** A person's policies, in force and ended, and what stands in for one. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { Estimates } from '../charges/Estimates';
import { NewPolicy } from './NewPolicy';
import { Policy } from './Policy';
import { PolicyTimeline } from './PolicyTimeline';
import { Referrals } from './Referrals';

export function Coverages(p: {
  person: string;
  views: Schemas['CoverageView'][];
  visit?: string;
  /** When and by whom it was told that payment is due at this visit. */
  selfPay?: Schemas['SelfPayTold'] | null;
}) {
  const { clinic } = useSession();
  const may = useMay();
  const times = useTimes();
  // At check-in a card is what is asked for when nothing is on file.
  const [adding, setAdding] = useState(p.visit !== undefined && p.views.length === 0 && !p.selfPay);
  const [past, setPast] = useState(false);
  const { run, busy, refusal } = useDo();
  const ended = p.views.filter((v) => v.coverage.endsOn && v.coverage.endsOn < clinic.today);
  const path = { params: { path: { id: p.visit ?? '' } } };
  const offerUndo = useUndo();
  const told = () => api.POST('/api/visits/{id}/self-pay', path);
  const untold = () => api.DELETE('/api/visits/{id}/self-pay', path);
  const tell = () => void run(told).then((done) => done && offerUndo('This visit is self-pay.', untold));
  const takeBack = () => void run(untold).then((done) => done && offerUndo('This visit is not self-pay.', told));
  const kept = () => api.POST('/api/visits/{id}/kept-from-plan', path);
  const unkept = () => api.DELETE('/api/visits/{id}/kept-from-plan', path);
  const keep = () => void run(kept).then((done) => done && offerUndo('This visit is kept from the plan.', unkept));
  const noLonger = () => void run(unkept).then((done) => done && offerUndo('The plan may be asked to pay.', kept));
  return (
    <Stack $gap={3}>
      {p.views.length > 1 && <PolicyTimeline views={p.views} />}
      {p.views
        .filter((v) => past || !ended.includes(v))
        .map((v) => (
          <Policy key={v.coverage.id} view={v} visit={p.visit} person={p.person} unused={p.selfPay != null} />
        ))}
      {ended.length > 0 && (
        <Row>
          <Button $kind="quiet" onPress={() => setPast(!past)} aria-expanded={past}>
            {past ? 'Hide ended policies' : `Ended policies (${ended.length})`}
          </Button>
        </Row>
      )}
      {p.views.length === 0 && <p>No policy is on file.</p>}
      {p.selfPay && (
        <Notice data-self-pay>
          <Row>
            <span>
              This visit is self-pay: told on {times.full(p.selfPay.at)} {times.time(p.selfPay.at)} by {p.selfPay.by}{' '}
              that payment is due.{p.views.some((v) => v.countsToday) && ' The policy on file is not used for it.'}
              {p.selfPay.keptFromPlan &&
                ' The patient keeps it from the plan: no claim of it is made, and it holds once the visit is paid in full.'}
            </span>
            <Spread />
            {may('edit_coverage') && (
              <Button onPress={p.selfPay.keptFromPlan ? noLonger : takeBack} isDisabled={busy}>
                {p.selfPay.keptFromPlan ? 'They no longer do' : 'Take it back'}
              </Button>
            )}
          </Row>
        </Notice>
      )}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      {adding && may('edit_coverage') && (
        <NewPolicy person={p.person} visit={p.visit} onDone={() => setAdding(false)} />
      )}
      {may('edit_coverage') && (
        <Row>
          {!adding && <Button onPress={() => setAdding(true)}>Add a policy</Button>}
          {p.visit && !p.selfPay && (
            <Button onPress={tell} isDisabled={busy}>
              Self-pay: told that payment is due
            </Button>
          )}
          {p.visit && !p.selfPay?.keptFromPlan && p.views.some((v) => v.countsToday) && (
            <Button $kind="quiet" onPress={keep} isDisabled={busy}>
              Patient keeps this visit from the plan
            </Button>
          )}
          {!p.visit && <Small>That a visit is self-pay is told with the visit.</Small>}
        </Row>
      )}
      <h3>Written estimates</h3>
      <Estimates person={p.person} visit={p.visit} />
      <h3>Referrals to us</h3>
      <Referrals person={p.person} visit={p.visit} />
    </Stack>
  );
}
