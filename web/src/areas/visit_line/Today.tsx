/** What waits for me, grouped by what I would do next, oldest first, each row with its one action. */

import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Head, Mono, Notice, Page, Row, Small, Spread, Stack } from '../../ui/layout';
import { color, corner, hair, phone, size, space } from '../../ui/tokens';
import { CompactLine } from '../../ui/VisitLine';
import { today } from './queries';

type Waiting = Schemas['Waiting'];

const Group = styled.section`
  margin-bottom: ${space(6)};
  h2 {
    display: flex;
    align-items: baseline;
    gap: ${space(2)};
    margin-bottom: ${space(2)};
  }
`;

const Rows = styled.ul`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
`;

const Item = styled.li`
  display: grid;
  grid-template-columns:
    ${space(20)} minmax(${space(35)}, 1.2fr) minmax(${space(37.5)}, 1.6fr)
    ${space(62)} ${space(36)};
  gap: ${space(3)};
  align-items: center;
  padding: ${space(2)} ${space(4)};
  border-bottom: ${hair};
  &:last-child {
    border-bottom: 0;
  }
  > :last-child {
    justify-self: end;
  }
  strong {
    font-weight: 600;
  }
  @media (max-width: ${phone}) {
    grid-template-columns: 1fr auto;
    > [data-phone='off'] {
      display: none;
    }
  }
`;

const Counts = styled.div`
  display: flex;
  gap: ${space(5)};
  color: ${color.quiet};
  b {
    color: ${color.ink};
    font-size: ${size.head};
  }
`;

/** So many rows of a group stand at once; the rest comes on demand. */
const few = 25;

/** The payers are asked about tomorrow in the evening by themselves; the desk may do it earlier. */
function AskTomorrow() {
  const { run, busy, refusal } = useDo();
  const { clinic } = useSession();
  const [asked, setAsked] = useState<number | null>(null);
  const ask = async () => {
    const done = await run(() => api.POST('/api/benefits/tomorrow'));
    if (done) setAsked(done.asked);
  };
  const said = asked === 0 ? 'Everybody of tomorrow was asked about lately.' : `The payers are asked about ${asked}.`;
  return (
    <Row>
      <Button onPress={() => void ask()} isDisabled={busy}>
        Ask the payers about tomorrow
      </Button>
      <Small role="status">
        {refusal ? refusal.message : asked === null ? `It happens by itself at ${clinic.benefitsHour}:00.` : said}
      </Small>
    </Row>
  );
}

export default function Today() {
  const { me, now, setInHand, discreet } = useSession();
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const navigate = useNavigate();
  const look = useLook(today());
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const act = (w: Waiting) => {
    const visit = w.card?.visit.id;
    if (visit) setInHand({ visit });
    if (w.place === 'arrival' && visit)
      return void run(() =>
        api.POST('/api/visits/{id}/stage', { params: { path: { id: visit } }, body: { to: 'here' } }),
      ).then(
        (moved) =>
          moved &&
          offerUndo(`${w.card ? identity(w.card.person, w.card.visit.callSign) : 'The patient'} is here.`, () =>
            api.POST('/api/visits/{id}/stage', {
              params: { path: { id: visit } },
              body: { to: 'back', byKey: true },
            }),
          ),
      );
    const to: Record<string, string> = {
      check_in: `/visits/${visit}/check-in`,
      room: `/in-clinic?room=${visit ?? ''}`,
      rooming: `/visits/${visit}/rooming`,
      note: `/visits/${visit}/note`,
      charges: `/visits/${visit}/charges`,
      money: `/visits/${visit}/money`,
      claim: `/billing?visit=${visit ?? ''}`,
      remittances: '/billing?tab=remittances',
      batches: '/billing?tab=batches',
      bank: '/billing?tab=bank',
      denials: '/billing?tab=denials',
      orders: '/results?tab=ordered',
      results: `/results?result=${w.resultId ?? ''}`,
      renewals: '/results?tab=renewals',
      overridden: '/settings?part=overridden',
      till: '/billing?tab=till',
      person: `/people/${w.person?.id ?? ''}`,
      rebooking: `/schedule?day=${w.card?.visit.day ?? ''}&away=1`,
      told: '/schedule?more=told',
    };
    navigate(to[w.place] ?? '/today');
  };
  const [whole, setWhole] = useState<string[]>([]);
  const groups = new Map<string, Waiting[]>();
  for (const w of look.data?.waiting ?? []) groups.set(w.group, [...(groups.get(w.group) ?? []), w]);
  const first = me.staff.firstName;
  return (
    <Page>
      <Head>
        <h1>{times.day(now.toISOString())}</h1>
        <p>What waits for you, {first}</p>
        <Spread />
        {look.data && (
          <Counts>
            <span>
              <b>{look.data.visitsToday}</b> booked
            </span>
            <span>
              <b>{look.data.present}</b> in the building
            </span>
            <span>
              <b>{look.data.seenToday}</b> seen
            </span>
          </Counts>
        )}
      </Head>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} rows={8} />}
      <Stack style={{ marginBottom: space(4) }}>
        {look.data?.troubles.map((t) => (
          <Notice key={t} $tone="brass">
            {t}
          </Notice>
        ))}
        {refusal && (
          <Notice $tone="coral" role="alert">
            {refusal.message}
          </Notice>
        )}
      </Stack>
      {[...groups].map(([name, list]) => (
        <Group key={name}>
          <h2>
            {name} <Small>{list.length}</Small>
          </h2>
          <Rows>
            {list.slice(0, whole.includes(name) ? list.length : few).map((w, i) => {
              const person = w.card?.person ?? w.person;
              return (
                <Item key={w.card?.visit.id ?? w.resultId ?? i} data-item data-waiting={person?.recordNumber}>
                  <span data-phone="off">
                    {w.place === 'arrival' && w.card ? (
                      <Mono>{times.time(w.card.visit.startsAt)}</Mono>
                    ) : (
                      w.since && <Small>{times.since(w.since)}</Small>
                    )}
                  </span>
                  <span>
                    <strong>{person ? identity(person, w.card?.visit.callSign) : 'Person uncertain'}</strong>
                    <br />
                    <Small>{[person?.age, !discreet && person?.recordNumber].filter(Boolean).join(' · ')}</Small>
                  </span>
                  <span data-phone="off">
                    {w.sentence || w.card?.visit.reason}
                    {w.blockers.length > 1 && <Small> and {w.blockers.length - 1} more</Small>}
                  </span>
                  <span data-phone="off">{w.card && <CompactLine line={w.card.line} />}</span>
                  <Button
                    isDisabled={busy}
                    onPress={() => act(w)}
                    aria-label={`${w.action}: ${person ? identity(person, w.card?.visit.callSign) : w.sentence}`}
                  >
                    {w.action}
                  </Button>
                </Item>
              );
            })}
          </Rows>
          {list.length > few && !whole.includes(name) && (
            <Row style={{ marginTop: space(2) }}>
              <Button $kind="quiet" onPress={() => setWhole([...whole, name])}>
                The other {list.length - few}
              </Button>
            </Row>
          )}
        </Group>
      ))}
      {look.data && may('edit_coverage') && me.staff.role === 'front_desk' && <AskTomorrow />}
      {look.data && groups.size === 0 && (
        <Empty>
          Nothing waits for you. What stands between a visit and its next mark, and is yours to clear, appears here by
          itself.
        </Empty>
      )}
    </Page>
  );
}
