/** A fixed, fast walk in the clinic's own order: what is fine is folded with the reason why, the next thing has the focus. */

import { type ReactNode, useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { dollars, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, corner, hair, part, space } from '../../ui/tokens';
import { Payments } from '../money/Account';
import { Collect } from '../money/Collect';
import { Consents } from '../people/Consents';
import { Coverages } from '../coverage/Coverages';
import { RegistrationForm } from '../people/RegistrationForm';
import { AboutVisit } from '../visit_line/AboutVisit';
import { Share } from '../coverage/Share';
import { SignForm } from './SignForm';
import { person as personQuery } from '../people/queries';
import { checkIn, siblings } from './queries';

type View = Schemas['VisitView'];

const Step = styled.section`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(2.5)} ${space(5)};
  h2 {
    min-width: ${part.wideField};
  }
`;

function Part(p: {
  step: string;
  title: string;
  fine: boolean;
  summary: ReactNode;
  /** A blocker led to just this place. */
  asked: boolean;
  children?: ReactNode;
}) {
  const box = useRef<HTMLElement>(null);
  // Folded while it is fine; once there was something to do it never folds away under somebody's hands.
  const [needed, setNeeded] = useState(!p.fine);
  if (!p.fine && !needed) setNeeded(true);
  const [chosen, setOpen] = useState<boolean | null>(null);
  const shown = chosen ?? (needed || p.asked);
  const { asked } = p;
  useEffect(() => {
    if (!asked) return;
    box.current?.scrollIntoView({ block: 'start' });
    const body = box.current?.querySelector<HTMLElement>('[data-body]');
    (body?.querySelector<HTMLElement>('[data-next]') ?? body?.querySelector<HTMLElement>('input, button'))?.focus();
  }, [asked]);
  return (
    <Step ref={box} aria-label={p.title} data-step={p.step} data-fine={p.fine}>
      <Row>
        <h2>{p.title}</h2>
        <Tag $tone={p.fine ? 'kelp' : 'brass'}>{p.fine ? '✓ fine' : 'to do'}</Tag>
        <span>{p.summary}</span>
        <Spread />
        {p.children && (
          <Button
            $kind="quiet"
            onPress={() => setOpen(!shown)}
            aria-expanded={shown}
            {...(p.step === 'visit' && { 'data-edit': true })}
          >
            {shown ? 'Fold' : 'Open'}
          </Button>
        )}
      </Row>
      {shown && p.children && (
        <div data-body style={{ marginTop: space(4) }}>
          {p.children}
        </div>
      )}
    </Step>
  );
}

function ConsentsOf({ person }: { person: string }) {
  const look = useLook(personQuery(person));
  return look.data ? <Consents person={person} consents={look.data.consents} /> : null;
}

function Forms(p: { visit: string; signer: string; forms: Schemas['FormStanding'][] }) {
  const times = useTimes();
  const [open, setOpen] = useState<Schemas['Form'] | null>(null);
  return (
    <Stack $gap={2}>
      {p.forms.map(({ form, due, signed }) => (
        <Row key={form.id} data-form={form.name}>
          <span style={{ minWidth: part.wideField }}>{form.name}</span>
          {signed ? (
            <Small>
              {due ? 'ran out; ' : ''}signed {times.full(signed.at)} by {signed.signer}
            </Small>
          ) : (
            <Small>not signed yet</Small>
          )}
          <Spread />
          {signed && signed.kind !== 'paper' && (
            <Button $kind="quiet" onPress={() => window.open(`/api/signed-forms/${signed.id}`, '_blank')}>
              Show the paper
            </Button>
          )}
          <Button onPress={() => setOpen(form)} aria-label={`Sign ${form.name}`}>
            Sign
          </Button>
        </Row>
      ))}
      {open && <SignForm visit={p.visit} form={open} signer={p.signer} onClose={() => setOpen(null)} />}
    </Stack>
  );
}

/** Others of the household who are here today: checked in one after another without going back, by `[` and `]` too. */
function Siblings({ visit: mine }: { visit: Schemas['Visit'] }) {
  const look = useLook(siblings(mine.id));
  const navigate = useNavigate();
  const identity = useIdentity();
  const others = look.data ?? [];
  // The order is that of the day, and goes round.
  const step = (by: 1 | -1) => {
    const ring = [...others.map((s) => s.visit), mine].sort(
      (a, b) => a.startsAt.localeCompare(b.startsAt) || a.id.localeCompare(b.id),
    );
    const next = ring[(ring.findIndex((v) => v.id === mine.id) + by + ring.length) % ring.length];
    if (next && next.id !== mine.id) navigate(`/visits/${next.id}/check-in`);
  };
  useKeys({ '[': () => step(-1), ']': () => step(1) });
  if (others.length === 0) return null;
  return (
    <Row data-siblings>
      <Small>Of this household today:</Small>
      {others.map((s) => (
        <Link key={s.visit.id} to={`/visits/${s.visit.id}/check-in`}>
          {identity(s.person, s.visit.callSign)}, {s.stage}
        </Link>
      ))}
    </Row>
  );
}

export function CheckIn({ view }: { view: View }) {
  const { site } = useSession();
  const identity = useIdentity();
  const may = useMay();
  const times = useTimes();
  const { run, busy, refusal } = useDo();
  const { visit, person: card } = view.card;
  const path = { params: { path: { id: visit.id } } };
  const look = useLook(checkIn(visit.id));
  const walk = look.data;
  const [params] = useSearchParams();
  const step = params.get('step');
  const box = useRef<HTMLDivElement>(null);
  const unread = walk?.alerts.find((a) => !a.at)?.rule;
  const wanted = !walk ? '' : (unread ?? (walk.done ? 'done' : (walk.next ?? 'finish')));
  // The next thing to do has the focus; nobody is interrupted while typing.
  useEffect(() => {
    // Whoever came for one step begins there, unless something must be read first.
    if (!wanted || (step && !unread) || document.querySelector('[role=dialog]')) return;
    const typing = document.activeElement instanceof HTMLInputElement && document.activeElement.value !== '';
    if (typing) return;
    const place =
      wanted === unread
        ? '[data-unread]'
        : wanted === 'finish' || wanted === 'done'
          ? '[data-main-action]'
          : `[data-step="${wanted}"] [data-body]`;
    const found = box.current?.querySelector<HTMLElement>(place);
    const next = found?.querySelector<HTMLElement>('[data-next]') ?? found?.querySelector<HTMLElement>('input, button');
    const first = found?.matches('button') ? found : next;
    first?.focus();
  }, [wanted, unread, step]);
  if (!walk) return null;
  const finish = () => void run(() => api.POST('/api/visits/{id}/check-in', path));
  const signer = `${view.person.firstName} ${view.person.lastName}`;
  const bodies: Record<string, ReactNode> = {
    visit: may('book') && <AboutVisit key={visit.id} visit={visit} mayHandOver={view.mayHandOver} />,
    details: may('edit_people') && <RegistrationForm key={view.person.id} id={view.person.id} brief />,
    consents: may('edit_people') && <ConsentsOf person={view.person.id} />,
    coverage: (
      <Coverages person={view.person.id} views={view.coverages} visit={visit.id} selfPay={view.selfPay ?? null} />
    ),
    forms: walk.forms.length > 0 && <Forms visit={visit.id} signer={signer} forms={walk.forms} />,
    collect: may('see_charges') && (
      <Stack>
        {view.share && <Share share={view.share} />}
        <Collect person={view.person.id} site={site?.id ?? visit.siteId} />
        <Payments person={view.person.id} />
      </Stack>
    ),
  };
  return (
    <div ref={box}>
      <Stack>
        {walk.alerts.map((a) => (
          <Notice key={a.rule} $tone={a.at ? 'tide' : 'coral'} role={a.at ? undefined : 'alert'} data-alert={a.rule}>
            <Row>
              <span>{a.sentence}</span>
              <Spread />
              {a.at ? (
                <Small>
                  read by {a.by} <Mono>{times.time(a.at)}</Mono>
                </Small>
              ) : (
                <Button
                  data-unread
                  isDisabled={busy}
                  aria-label={`Read: ${a.sentence}`}
                  onPress={() =>
                    void run(() => api.POST('/api/visits/{id}/alerts', { ...path, body: { rule: a.rule } }))
                  }
                >
                  Read
                </Button>
              )}
            </Row>
          </Notice>
        ))}
        {walk.steps.map((s) => (
          <Part key={s.step} step={s.step} title={s.label} fine={s.fine} summary={s.sentence} asked={s.step === step}>
            {bodies[s.step]}
          </Part>
        ))}
        <Siblings visit={visit} />
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
        <Row>
          {!walk.done && walk.next && (
            <Small>What is still open stays on the visit line; you can finish it later.</Small>
          )}
          {view.olderCents > 0 && <Small>{dollars(view.olderCents)} from before is open.</Small>}
          <Spread />
          {walk.done ? (
            <Tag $tone="kelp">✓ checked in</Tag>
          ) : (
            may('check_in') && (
              <Button
                $kind="filled"
                onPress={finish}
                isDisabled={busy || !walk.mayFinish}
                aria-label={`Finish check-in of ${identity(card, visit.callSign)}`}
              >
                Finish check-in
              </Button>
            )
          )}
        </Row>
      </Stack>
    </div>
  );
}
