/** One visit: its parts as tabs, in the order of the work; who it is stands in the companion. */

import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useEffect } from 'react';
import { useNavigate, useParams } from 'react-router';
import { useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useIdentity, useTimes } from '../../app/words';
import { Tabs, type TabItem } from '../../ui/controls';
import { Head, Page } from '../../ui/layout';
import { Charges } from '../charges/Charges';
import { CheckIn } from '../arrival/CheckIn';
import { Money } from '../money/Money';
import { ConsultSheet } from '../consult/ConsultSheet';
import { QuickLine } from '../consult/QuickLine';
import { WritingOn } from '../consult/writing';
import { Restricted } from './Restricted';
import styled from 'styled-components';
import { color, space } from '../../ui/tokens';
import { chart as chartQuery } from '../consult/queries';
import { visit as visitQuery } from './queries';

/** Places of the sheet that something leads to: what stands between the visit and its next mark. */
const onSheet = ['sheet', 'rooming', 'note', 'orders', 'prescriptions'];

/** The quick line stays in reach at the same place however far one reads. */
const AtHand = styled.div`
  position: sticky;
  top: 0;
  z-index: 2;
  background: ${color.paper};
  padding-top: ${space(1)};
  &[hidden] {
    display: none;
  }
`;

export default function VisitPage() {
  const { id = '', part = 'sheet' } = useParams();
  const { setInHand } = useSession();
  const navigate = useNavigate();
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const look = useLook(visitQuery(id));
  // A charge without a visit has no chart of its own.
  const alone = look.data?.card.visit.kind === 'charge';
  const chart = useLook(chartQuery(id), may('see_chart') && !alone);
  useEffect(() => setInHand({ visit: id }), [id, setInHand]);
  if (!look.data || unanswered(look))
    return (
      <Page>
        <Unanswered look={look} rows={8} />
      </Page>
    );
  const view = look.data;
  const { visit, person } = view.card;
  const items: (TabItem | false)[] = [
    may('check_in') && !alone && { id: 'check-in', label: 'Check-in', content: <CheckIn key={id} view={view} /> },
    may('see_chart') &&
      !alone &&
      chart.data !== undefined && {
        id: 'sheet',
        label: 'Sheet',
        content: <ConsultSheet key={id} view={view} chart={chart.data} place={part} />,
      },
    may('see_charges') && { id: 'charges', label: 'Charges', content: <Charges view={view} /> },
    may('see_charges') && { id: 'money', label: 'Balance', content: <Money key={id} view={view} /> },
  ];
  const shown = items.filter((t): t is TabItem => t !== false);
  const wanted = onSheet.includes(part) ? 'sheet' : part;
  const value = shown.some((t) => t.id === wanted) ? wanted : (shown[0]?.id ?? '');
  return (
    <WritingOn key={id}>
      <Page>
        <AsOf look={look} />
        <Head style={{ marginBottom: space(3) }}>
          <h1>{identity(person, visit.callSign)}</h1>
          <p>
            {visit.reason} · {times.day(visit.startsAt)} {times.time(visit.startsAt)}
          </p>
        </Head>
        {chart.error?.is('restricted-chart') && <Restricted person={person.id} message={chart.error.message} />}
        {chart.data !== undefined && !alone && may('record_vitals') && (
          // Hidden and not gone: what was typed is there again.
          <AtHand data-at-hand hidden={value !== 'sheet'}>
            <QuickLine key={id} visit={id} chart={chart.data} main={!may('write_note')} />
          </AtHand>
        )}
        <Tabs
          label="Parts of the visit"
          items={shown}
          value={value}
          onChange={(next) => navigate(`/visits/${id}/${next}`)}
        />
      </Page>
    </WritingOn>
  );
}
