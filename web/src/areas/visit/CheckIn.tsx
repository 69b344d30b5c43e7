/** A fixed, fast walk; what is fine already is folded away. */

import { type ReactNode, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { dollars, plainDate, telephone } from '../../app/words';
import { Coverages } from '../people/Coverages';
import { RegistrationForm } from '../people/RegistrationForm';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, corner, hair, part, space } from '../../ui/tokens';
import { Collect } from '../money/Collect';
import { Share } from './Share';

type View = Schemas['VisitView'];

const Step = styled.section`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(3)} ${space(5)};
  h2 {
    min-width: ${part.wideField};
  }
`;

function Part(p: { title: string; fine: boolean; summary: ReactNode; children?: ReactNode }) {
  // Folded while it is fine; once there was something to do it never folds away under somebody's hands.
  const [needed, setNeeded] = useState(!p.fine);
  if (!p.fine && !needed) setNeeded(true);
  const [chosen, setOpen] = useState<boolean | null>(null);
  const shown = chosen ?? needed;
  return (
    <Step aria-label={p.title}>
      <Row>
        <h2>{p.title}</h2>
        <Tag $tone={p.fine ? 'kelp' : 'brass'}>{p.fine ? '✓ fine' : 'to do'}</Tag>
        <span>{p.summary}</span>
        <Spread />
        {p.children && (
          <Button $kind="quiet" onPress={() => setOpen(!shown)} aria-expanded={shown}>
            {shown ? 'Fold' : 'Open'}
          </Button>
        )}
      </Row>
      {shown && p.children && <div style={{ marginTop: space(4) }}>{p.children}</div>}
    </Step>
  );
}

export function CheckIn({ view }: { view: View }) {
  const { clinic } = useSession();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const { visit, line, person: card } = view.card;
  const [paid, setPaid] = useState(false);
  const checkIn = line.marks.find((m) => m.mark === 'checked_in');
  const done = checkIn?.at !== undefined && checkIn.at !== null;
  const codes = checkIn?.blockers.map((b) => b.code) ?? [];
  const policy = view.coverages.find((c) => c.countsToday);
  const selfPay = view.person.selfPayToldAt !== null && view.person.selfPayToldAt !== undefined;
  const coverageFine = done || (!codes.some((c) => c.startsWith('benefits')) && !codes.includes('no_coverage'));
  const expected = view.share?.copayCents || policy?.coverage.copayCents || 0;
  const already = view.river.parts.find((p) => p.part === 'paid_by_patient')?.cents ?? 0;
  const finish = () => void run(() => api.POST('/api/visits/{id}/check-in', { params: { path: { id: visit.id } } }));
  const clinician = clinic.staff.find((s) => s.id === visit.clinicianId)?.name;
  return (
    <Stack>
      {card.chartAlert && <Notice $tone="brass">{card.chartAlert}</Notice>}
      <Part title="Visit" fine summary={`${visit.reason}, ${clinician}`} />
      <Part
        title="Details and contact"
        fine={view.gaps.length === 0}
        summary={
          view.gaps.length === 0
            ? [plainDate(view.person.birthDate), view.person.addressLine, telephone(view.person.phone)]
                .filter(Boolean)
                .join(' · ')
            : `lacks ${view.gaps.map((g) => g.word).join(', ')}`
        }
      >
        {may('edit_people') && <RegistrationForm key={view.person.id} id={view.person.id} brief />}
      </Part>
      <Part
        title="Coverage and benefits"
        fine={coverageFine}
        summary={
          policy ? `${policy.payer} ${policy.coverage.subscriberNumber}` : selfPay ? 'self-pay' : 'nothing on file'
        }
      >
        <Coverages
          person={view.person.id}
          views={view.coverages}
          visit={visit.id}
          selfPayAt={view.person.selfPayToldAt ?? null}
          selfPayBy={view.person.selfPayToldBy ?? null}
        />
      </Part>
      {may('see_charges') && (
        <Part
          title="Balances and copay"
          fine={paid || already > 0 || (expected === 0 && view.olderCents === 0)}
          summary={
            already > 0
              ? `${dollars(already)} paid for this visit`
              : `${dollars(expected)} expected today${view.olderCents > 0 ? `, ${dollars(view.olderCents)} older` : ''}`
          }
        >
          <Stack>
            {view.share && <Share share={view.share} />}
            <Collect person={view.person.id} site={visit.siteId} onPaid={() => setPaid(true)} />
          </Stack>
        </Part>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Row>
        {!done && codes.length > 0 && (
          <Small>What is still open stays on the visit line; you can finish it later.</Small>
        )}
        <Spread />
        {done ? (
          <Tag $tone="kelp">✓ checked in</Tag>
        ) : (
          may('check_in') && (
            <Button $kind="filled" data-main-action onPress={finish} isDisabled={busy}>
              Finish check-in
            </Button>
          )
        )}
      </Row>
    </Stack>
  );
}
