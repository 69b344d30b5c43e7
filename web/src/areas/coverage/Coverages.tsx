/** A person's policies, in force and ended, and what stands in for one. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Stack } from '../../ui/layout';
import { NewPolicy } from './NewPolicy';
import { Policy } from './Policy';
import { PolicyTimeline } from './PolicyTimeline';

export function Coverages(p: {
  person: string;
  views: Schemas['CoverageView'][];
  visit?: string;
  selfPayAt?: string | null;
  selfPayBy?: string | null;
}) {
  const { clinic } = useSession();
  const may = useMay();
  const times = useTimes();
  const [adding, setAdding] = useState(false);
  const [past, setPast] = useState(false);
  const { run, busy, refusal } = useDo();
  const ended = p.views.filter((v) => v.coverage.endsOn && v.coverage.endsOn < clinic.today);
  const selfPay = () => void run(() => api.POST('/api/people/{id}/self-pay', { params: { path: { id: p.person } } }));
  return (
    <Stack $gap={3}>
      {p.views.length > 1 && <PolicyTimeline views={p.views} />}
      {p.views
        .filter((v) => past || !ended.includes(v))
        .map((v) => (
          <Policy key={v.coverage.id} view={v} visit={p.visit} person={p.person} />
        ))}
      {ended.length > 0 && (
        <Row>
          <Button $kind="quiet" onPress={() => setPast(!past)} aria-expanded={past}>
            {past ? 'Hide ended policies' : `Ended policies (${ended.length})`}
          </Button>
        </Row>
      )}
      {p.views.length === 0 && !p.selfPayAt && <p>No policy is on file.</p>}
      {p.selfPayAt && (
        <Notice>
          Self-pay: told on {times.full(p.selfPayAt)} by {p.selfPayBy} that payment is due at the visit.
        </Notice>
      )}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      {may('edit_coverage') && (
        <Row>
          <Button onPress={() => setAdding(!adding)}>Add a policy</Button>
          {!p.selfPayAt && (
            <Button onPress={selfPay} isDisabled={busy}>
              Self-pay: told that payment is due
            </Button>
          )}
        </Row>
      )}
      {adding && <NewPolicy person={p.person} visit={p.visit} onDone={() => setAdding(false)} />}
    </Stack>
  );
}
