/** The person or visit in hand, in every area, with the next action as the one filled button. */

import { ChevronDown, ChevronRight, ChevronUp, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../api/client';
import { GlanceAt } from '../areas/consult/Glance';
import { CancelDialog } from '../areas/schedule/CancelDialog';
import { MovesDialog } from '../areas/schedule/MovesDialog';
import { WantTime } from '../areas/schedule/WantTime';
import { Button } from '../ui/controls';
import { Notice, Row, Small, Spread, Stack, Tag } from '../ui/layout';
import {
  barHeight,
  color,
  companionWidth,
  footHeight,
  hair,
  icon,
  narrow,
  phone,
  shadow,
  size,
  space,
  stripHeight,
} from '../ui/tokens';
import { CompactLine, FullLine } from '../ui/VisitLine';
import { useWordOf } from './choices';
import { useMay, useSession } from './session';
import { useUndo } from './undo';
import { dollars, owed, plainDate, sexWord, useIdentity, useTimes } from './words';
import { visit as visitQuery } from '../areas/visit_line/queries';
import { person as personQuery } from '../areas/people/queries';

const Side = styled.aside<{ $folded: boolean }>`
  grid-area: companion;
  width: ${companionWidth};
  background: ${color.sheet};
  border-left: ${hair};
  overflow: auto;
  padding: ${space(4)} ${space(4)} ${space(8)};
  display: ${(p) => (p.$folded ? 'none' : 'block')};
  @media (max-width: ${narrow}) {
    position: fixed;
    z-index: 20;
    top: calc(${barHeight} + ${stripHeight});
    right: 0;
    bottom: 0;
    box-shadow: ${shadow};
    display: none;
    &[data-open='true'] {
      display: block;
    }
  }
  @media (max-width: ${phone}) {
    width: 100%;
    bottom: ${footHeight};
  }
  h2 {
    line-height: 1.2;
  }
  h3 {
    font-size: ${size.small};
    color: ${color.quiet};
    font-weight: 400;
    margin-bottom: ${space(1)};
  }
`;

/** What stands in for the companion while it is folded: a strip that covers nothing. */
const Handle = styled.button`
  grid-area: hand;
  display: none;
  align-items: center;
  gap: ${space(3)};
  height: ${stripHeight};
  padding: 0 ${space(5)};
  border: 0;
  border-bottom: ${hair};
  background: ${color.sheet};
  color: ${color.ink};
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  cursor: pointer;
  strong {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  &[data-folded='true'] {
    display: flex;
  }
  @media (max-width: ${narrow}) {
    display: flex;
  }
  @media (max-width: ${phone}) {
    padding: 0 ${space(3)};
  }
`;

/** How an ended visit is told: it was cancelled, it did not come about. */
const endedWords = (ended: string) => (ended === 'cancelled' ? 'was cancelled' : `ended early: ${ended}`);

interface Step {
  act: () => void;
  /** Where on the page of the visit it is done. */
  place?: string;
}

/** The next action of a visit, as the server says it for who looks. */
function useNextAction(visit: string | undefined) {
  const navigate = useNavigate();
  const { run, busy, refusal } = useDo();
  const look = useLook(visitQuery(visit ?? ''), visit !== undefined);
  const to = (part: string) => () => navigate(`/visits/${visit}/${part}`);
  const offerUndo = useUndo();
  const stageWord = useWordOf('stages');
  const stage = (next: string) => () => {
    const params = { path: { id: visit ?? '' } };
    void run(() => api.POST('/api/visits/{id}/stage', { params, body: { to: next } })).then(
      (moved) =>
        moved &&
        offerUndo(`Moved: ${stageWord(moved.stage).toLowerCase()}.`, () =>
          api.POST('/api/visits/{id}/stage', { params, body: { to: 'back', byKey: true } }),
        ),
    );
  };
  const { pathname } = useLocation();
  const word = useWordOf('nextSteps');
  const steps: Record<Schemas['NextStep'], Step> = {
    mark_here: { act: stage('here') },
    came_after_all: { act: stage('here') },
    check_in: { act: to('check-in'), place: 'check-in' },
    choose_room: { act: () => navigate(`/in-clinic?room=${visit}`) },
    measure: { act: to('rooming'), place: 'rooming' },
    begin: { act: () => (stage('with_clinician')(), to('note')()) },
    open_note: { act: to('note'), place: 'note' },
    complete_charges: { act: to('charges'), place: 'charges' },
    open_billing: { act: () => navigate(`/billing?visit=${visit}`) },
    open_balance: { act: to('money'), place: 'money' },
  };
  const next = look.data?.next;
  let action = next ? { word: word(next), ...steps[next] } : null;
  // Whoever is at the place already finds the filled button there.
  const [, , at, part = 'sheet'] = pathname.split('/');
  if (action?.place && at === visit && action.place === (part === 'sheet' ? 'note' : part)) action = null;
  return { look, action, busy, refusal };
}

export function Companion({ folded, fold }: { folded: boolean; fold: (folded: boolean) => void }) {
  const { inHand, setInHand, clinic, discreet, now } = useSession();
  const visit = inHand && 'visit' in inHand ? inHand.visit : undefined;
  const person = inHand && 'person' in inHand ? inHand.person : undefined;
  const { look, action, busy, refusal } = useNextAction(visit);
  const alone = useLook(personQuery(person ?? ''), person !== undefined);
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [cancelling, setCancelling] = useState(false);
  const [earlier, setEarlier] = useState(false);
  const [moves, setMoves] = useState(false);
  // On a narrow screen the companion lies over the work, until something is chosen in it.
  const [open, setOpen] = useState(false);
  useEffect(() => setOpen(false), [pathname]);
  const times = useTimes();
  const identity = useIdentity();
  const may = useMay();
  const card = look.data?.card.person ?? alone.data?.card;
  if (!card) return null;
  const v = look.data?.card.visit;
  const clinician = clinic.staff.find((s) => s.id === v?.clinicianId)?.name;
  const room = clinic.rooms.find((r) => r.id === v?.roomId)?.name;
  const allergies = look.data?.allergies ?? [];
  const none = look.data?.noneKnown.some((n) => n.list === 'allergies');
  return (
    <>
      <Handle
        type="button"
        data-folded={folded}
        aria-expanded={open}
        onClick={() => {
          fold(false);
          setOpen(!open);
        }}
      >
        <strong>{identity(card, v?.callSign)}</strong>
        {look.data && <CompactLine line={look.data.card.line} />}
        <Spread />
        {open ? <ChevronUp size={icon.usual} aria-hidden /> : <ChevronDown size={icon.usual} aria-hidden />}
      </Handle>
      <Side $folded={folded} data-open={open} aria-label="In hand">
        <Stack $gap={4}>
          <div>
            <Row $gap={1}>
              <Small>{v ? `${times.day(v.startsAt)}, ${times.time(v.startsAt)}` : 'In hand'}</Small>
              <Spread />
              <Button $kind="quiet" aria-label="Fold away" onPress={() => (fold(true), setOpen(false))}>
                <ChevronRight size={icon.usual} aria-hidden />
              </Button>
              <Button $kind="quiet" aria-label="Put away" onPress={() => setInHand(null)}>
                <X size={icon.usual} aria-hidden />
              </Button>
            </Row>
            <h2>
              <button
                type="button"
                style={{ all: 'unset', cursor: 'pointer' }}
                onClick={() => navigate(`/people/${card.id}`)}
              >
                {identity(card, v?.callSign)}
              </button>
            </h2>
            <p>{[card.age, sexWord(card.sex), !discreet && plainDate(card.birthDate)].filter(Boolean).join(', ')}</p>
            <Small>
              {[
                !discreet && card.recordNumber,
                !discreet && card.preferredName && `called ${card.preferredName}`,
                v?.callSign,
              ]
                .filter(Boolean)
                .join(' · ')}
            </Small>
          </div>
          {look.data?.card.line.ended && (
            <Notice $tone="coral" data-ended>
              This visit {endedWords(look.data.card.line.ended)}
              {v?.cancelReason && `: ${v.cancelReason}`}.
            </Notice>
          )}
          {v && !look.data?.card.line.ended && v.day !== clinic.today && (
            <Notice $tone="tide" data-other-day>
              This visit is of {times.day(v.startsAt)}, not of today.
            </Notice>
          )}
          {card.chartAlert && <Notice $tone="brass">{card.chartAlert}</Notice>}
          {v && may('see_chart') && (
            <div>
              <h3>Allergies</h3>
              {look.data?.chartClosed ? (
                <Tag $tone="brass">Restricted chart: open it first</Tag>
              ) : allergies.length > 0 ? (
                <Row $gap={1}>
                  {allergies.map((a) => (
                    <Tag key={a.id} $tone="coral">
                      {a.substance}
                      {a.reaction && `: ${a.reaction}`}
                    </Tag>
                  ))}
                </Row>
              ) : (
                <Tag $tone={none ? 'kelp' : 'brass'}>{none ? 'None known' : 'Nobody asked yet'}</Tag>
              )}
            </div>
          )}
          {!v && alone.data && may('see_chart') && <GlanceAt person={card.id} brief />}
          {!v && alone.data && (
            <>
              {alone.data.gaps.length > 0 && (
                <Notice $tone="brass">Registration lacks: {alone.data.gaps.map((g) => g.word).join(', ')}.</Notice>
              )}
              {alone.data.responsible && !discreet && (
                <div>
                  <h3>Responsible party</h3>
                  <p>{alone.data.responsible.name}</p>
                </div>
              )}
              {may('book') && !card.deceased && (
                <Button $kind="filled" onPress={() => navigate('/schedule?open=1')}>
                  Book a visit
                </Button>
              )}
              {alone.data.household.length > 0 && !discreet && (
                <div>
                  <h3>Household</h3>
                  {alone.data.household.map((m) => (
                    <p key={m.person.id}>
                      {m.person.name} <Small>{[m.person.age, m.ties[0]].filter(Boolean).join(', ')}</Small>
                    </p>
                  ))}
                </div>
              )}
            </>
          )}
          {v && look.data && (
            <>
              <div>
                <p>{v.reason}</p>
                <Small>
                  {[clinician, room, v.ownStageId && look.data.card.stage, !v.appointment && 'no appointment']
                    .filter(Boolean)
                    .join(' · ')}
                </Small>
              </div>
              {action && (
                <Button $kind="filled" onPress={action.act} isDisabled={busy}>
                  {action.word}
                </Button>
              )}
              {refusal && (
                <Notice $tone="coral" role="alert">
                  {refusal.message}
                </Notice>
              )}
              <FullLine
                line={look.data.card.line}
                visit={v.id}
                day={v.day}
                since={times.since}
                // What was not on the day of the visit says its day.
                time={(iso) => (times.date(iso) === v.day ? times.time(iso) : times.day(iso))}
              />
              {may('see_charges') && (look.data.river.patientOwesCents !== 0 || look.data.olderCents > 0) && (
                <div>
                  <h3>Balance of the patient</h3>
                  <p>
                    This visit {owed(look.data.river.patientOwesCents)}
                    {look.data.olderCents > 0 && `, older visits ${dollars(look.data.olderCents)}`}
                  </p>
                </div>
              )}
              {v.stage === 'booked' && may('book') && (
                <Row $gap={2}>
                  <Button onPress={() => navigate(`/schedule?day=${v.day}&move=${v.id}`)}>Move</Button>
                  <Button onPress={() => setCancelling(true)}>Cancel</Button>
                  {v.slotId && new Date(v.startsAt) > now && (
                    <Button onPress={() => setEarlier(true)}>Wants earlier</Button>
                  )}
                  {may('book_extra') && v.slotId && pathname.startsWith('/schedule') && (
                    <Button onPress={() => navigate(`/schedule?day=${v.day}&extra=${v.slotId}`)}>Extra here</Button>
                  )}
                </Row>
              )}
              {v.appointment && (
                <Row $gap={2}>
                  <Button $kind="quiet" onPress={() => setMoves(true)}>
                    Every time it had
                  </Button>
                  {v.slotId && (
                    <Button $kind="quiet" onPress={() => navigate(`/schedule?day=${v.day}&slot=${v.slotId}`)}>
                      Its slot
                    </Button>
                  )}
                </Row>
              )}
              {moves && <MovesDialog visit={v} onClose={() => setMoves(false)} />}
              {earlier && <WantTime personId={v.personId} visit={v} onClose={() => setEarlier(false)} />}
              {cancelling && <CancelDialog visit={v} onClose={() => setCancelling(false)} />}
              {!pathname.startsWith(`/visits/${v.id}`) && (
                <Button onPress={() => navigate(`/visits/${v.id}/${may('see_chart') ? 'note' : 'check-in'}`)}>
                  Open this visit
                </Button>
              )}
            </>
          )}
        </Stack>
      </Side>
    </>
  );
}
