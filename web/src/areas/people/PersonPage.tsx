import { PrescriptionsOf } from '../prescribing/OfPerson';
import { PersonOrders } from '../orders/PersonOrders';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useEffect } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { plainDate, sexWord, telephone, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Head, Mono, Notice, Page, Row, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { color, part, size, space } from '../../ui/tokens';
import { Appointments } from './Appointments';
import { Account } from '../money/Account';
import { AskedOf } from '../money/AskedOf';
import { GlanceAt } from '../consult/Glance';
import { PastOf } from '../consult/Past';
import { ResultsOf } from '../orders/ResultGrid';
import { Coverages } from '../coverage/Coverages';
import { Merging } from './Merging';
import { RegistrationForm } from './RegistrationForm';
import { Restriction } from './Restriction';
import { coverages as coveragesQuery } from '../coverage/queries';
import { looksAt, person as personQuery, visitsOf } from './queries';

const Facts = styled.dl`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${part.wideField}, 1fr));
  gap: ${space(3)} ${space(5)};
  dt {
    font-size: ${size.small};
    color: ${color.quiet};
  }
`;

/** The address in full, and what the address service said of it. */
function address({ person, addressCheck }: Schemas['PersonView']) {
  const place = [person.addressLine, person.addressLine2, person.city, person.state, person.postalCode];
  const said = addressCheck ? (addressCheck.known ? 'checked' : 'not known to the address service') : 'not checked';
  const line = place.filter(Boolean).join(', ');
  return person.addressLine ? `${line} (${said})` : line;
}

const jumps = [
  { id: 'chart', word: 'Chart', needs: 'see_chart' },
  { id: 'results', word: 'Results', needs: 'see_chart' },
  { id: 'visits', word: 'Visits', needs: '' },
  { id: 'coverage', word: 'Coverage', needs: '' },
  { id: 'balance', word: 'Balance', needs: 'see_charges' },
  { id: 'registration', word: 'Registration', needs: 'edit_people' },
];

/** The parts of the page, one press away. */
function Jumps() {
  const may = useMay();
  const go = (id: string) => {
    const place = document.querySelector<HTMLElement>(`[data-place=${id}]`);
    place?.scrollIntoView({ block: 'start' });
    place?.querySelector<HTMLElement>('button, input, a[href]')?.focus({ preventScroll: true });
  };
  return (
    <Row as="nav" aria-label="Parts of the record" $gap={1} style={{ marginBottom: space(3) }}>
      {jumps
        .filter((j) => !j.needs || may(j.needs))
        .map((j) => (
          <Button key={j.id} $kind="quiet" onPress={() => go(j.id)}>
            {j.word}
          </Button>
        ))}
    </Row>
  );
}

/** What the desk reads at a glance. */
function AtAGlance({ view }: { view: Schemas['PersonView'] }) {
  const { clinic } = useSession();
  const { person, registration: r } = view;
  const consent = (kind: string) => view.consents.find((c) => c.kind === kind);
  const messages = (['text', 'voice', 'email'] as const)
    .filter((k) => consent(k)?.given)
    .map((k) => ({ text: 'text', voice: 'voice', email: 'e-mail' })[k]);
  const facts: [string, string][] = [
    ['Telephone', [telephone(person.phone), telephone(person.otherPhone)].filter(Boolean).join(', ')],
    ['E-mail', person.email ?? (person.emailDeclined ? 'declined' : '')],
    ['Address', address(view)],
    ['Answers for them', view.responsible?.name ?? 'the patient'],
    ['May be sent', messages.length > 0 ? messages.join(', ') : 'nothing'],
    ['Emergency contact', [r.emergencyName, telephone(r.emergencyPhone)].filter(Boolean).join(', ')],
    ['Usual clinician', clinic.staff.find((s) => s.id === person.usualClinicianId)?.name ?? ''],
    ['Language', [person.language, r.interpreter && 'interpreter needed'].filter(Boolean).join(', ')],
  ];
  return (
    <Facts>
      {facts.map(([label, value]) => (
        <div key={label}>
          <dt>{label}</dt>
          <dd>{value || '–'}</dd>
        </div>
      ))}
    </Facts>
  );
}

/** Somebody who died: what is still in the book is cancelled by a person, who calls the family. */
function ToCancel({ visits }: { visits: Schemas['Visit'][] }) {
  const { run, busy } = useDo();
  const times = useTimes();
  return (
    <Notice $tone="coral" role="alert">
      <Stack $gap={2}>
        <strong>Visits to come, to be cancelled</strong>
        {visits.map((v) => (
          <Row key={v.id}>
            <Mono>
              {times.full(v.startsAt)} {times.time(v.startsAt)}
            </Mono>
            <span>{v.reason}</span>
            <Button
              isDisabled={busy}
              onPress={() =>
                void run(() =>
                  api.POST('/api/visits/{id}/cancel', {
                    params: { path: { id: v.id } },
                    body: { reason: 'patient died' },
                  }),
                )
              }
            >
              Cancel this visit
            </Button>
          </Row>
        ))}
      </Stack>
    </Notice>
  );
}

export default function PersonPage() {
  const { id = '' } = useParams();
  const [params] = useSearchParams();
  const registering = params.get('register') !== null;
  const { setInHand, discreet } = useSession();
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const look = useLook(personQuery(id));
  const visits = useLook(visitsOf(id));
  const coverages = useLook(coveragesQuery(id));
  const looks = useLook(looksAt(id), may('see_audit'));
  useEffect(() => setInHand({ person: id }), [id, setInHand]);
  if (!look.data || unanswered(look))
    return (
      <Page>
        <Unanswered look={look} rows={8} />
      </Page>
    );
  const { person, card, gaps, toCancel } = look.data;
  if (discreet)
    return (
      <Page>
        <Head>
          <h1>{identity(card)}</h1>
        </Head>
        <Empty>Discreet mode is on, so the record stays closed. Press d to show it.</Empty>
      </Page>
    );
  // Somebody just added is registered first; otherwise the facts come first.
  const registration = (
    <div data-place="registration">
      <h2 style={{ margin: `${space(5)} 0 ${space(3)}` }}>Registration</h2>
      <div data-edit>
        <RegistrationForm key={id} id={id} focus={registering} />
      </div>
    </div>
  );
  const treats = may('see_chart') && !may('edit_coverage');
  const appointments = visits.data && (
    <div data-place="visits">
      <Appointments list={visits.data} person={card} missed={look.data.missed} />
    </div>
  );
  return (
    <Page>
      <AsOf look={look} />
      <Head>
        <h1>{identity(card)}</h1>
        <p>
          {[
            card.age,
            sexWord(card.sex),
            plainDate(card.birthDate),
            card.recordNumber,
            look.data.registration.pronouns,
            person.deceasedOn && `died ${plainDate(person.deceasedOn)}`,
            !card.patient && 'no patient here',
          ]
            .filter(Boolean)
            .join(' · ')}
        </p>
      </Head>
      <Stack>
        {look.data.registration.restricted && (
          <Notice $tone="coral" data-restricted>
            The chart is under restriction: it opens with a reason, which is recorded.
          </Notice>
        )}
        {card.chartAlert && <Notice $tone="brass">{card.chartAlert}</Notice>}
        {person.billingNote && may('see_charges') && <Notice $tone="tide">{person.billingNote}</Notice>}
        {look.data.mergedInto && (
          <Notice $tone="coral">
            This record was merged into{' '}
            <Link to={`/people/${look.data.mergedInto.id}`}>
              {look.data.mergedInto.recordNumber}, {look.data.mergedInto.name}
            </Link>
            ; work goes on there.
          </Notice>
        )}
        {gaps.length > 0 && <Notice $tone="brass">Registration lacks: {gaps.map((g) => g.word).join(', ')}.</Notice>}
        {toCancel.length > 0 && may('book') && <ToCancel visits={toCancel} />}
      </Stack>
      {may('edit_people') && registering && registration}
      <Jumps />
      {may('see_chart') && (
        <Sheet data-place="chart">
          <Row>
            <h2>Chart</h2>
            <Spread />
            <Button $kind="quiet" onPress={() => window.open(`/api/people/${id}/chart-paper`, '_blank')}>
              Print the chart
            </Button>
          </Row>
          <GlanceAt person={id} />
          <div style={{ marginTop: space(4) }}>
            <PastOf person={id} />
          </div>
        </Sheet>
      )}
      {may('see_chart') && (
        <Sheet data-place="prescriptions">
          <h2>Prescriptions</h2>
          <PrescriptionsOf person={id} />
        </Sheet>
      )}
      {may('see_chart') && (
        <Sheet data-place="results">
          <h2>Results</h2>
          <ResultsOf person={id} />
          <h3>Orders without a visit</h3>
          <PersonOrders person={id} />
        </Sheet>
      )}
      {/* Whoever treats looks for what was; whoever books and bills for how to reach and bill. */}
      {treats && appointments}
      <Sheet style={{ marginTop: space(2) }}>
        <AtAGlance view={look.data} />
        <Row style={{ marginTop: space(3) }}>
          <a href={`/api/people/${id}/fhir`}>Save the registration and coverage as a FHIR file</a>
        </Row>
      </Sheet>
      <Sheet data-place="coverage">
        <h2>Coverage</h2>
        {coverages.data && <Coverages person={id} views={coverages.data} />}
      </Sheet>
      {may('see_charges') && (
        <div data-place="balance">
          <Account person={id} clinician={look.data.person.usualClinicianId} />
          {may('take_money') && <AskedOf person={card} />}
        </div>
      )}
      {!treats && appointments}
      {may('edit_people') && !registering && registration}
      {may('restrict_charts') && <Restriction person={id} restricted={look.data.registration.restricted} />}
      {may('merge_people') && (
        <Sheet style={{ marginTop: space(5) }}>
          <h2>Two records of one person</h2>
          <Merging view={look.data} />
        </Sheet>
      )}
      {looks.data && (
        <Sheet>
          <h2>Who looked at this record</h2>
          <Table>
            <tbody>
              {looks.data.slice(0, 30).map((l) => (
                <tr key={l.seq}>
                  <td>
                    <Small>
                      {times.full(l.at)} {times.time(l.at)}
                    </Small>
                  </td>
                  <td>{l.staffName}</td>
                  <td>
                    {l.action} <Tag>{l.entity}</Tag>
                  </td>
                  <td>
                    <Small>{l.detail}</Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Sheet>
      )}
    </Page>
  );
}
