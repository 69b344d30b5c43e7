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
import { Note } from '../consult/Note';
import { Orders } from '../orders/Orders';
import { QuickLine } from '../consult/QuickLine';
import { Prescriptions } from '../prescribing/Prescriptions';
import { Restricted } from './Restricted';
import { Rooming } from '../consult/Rooming';
import { space } from '../../ui/tokens';
import { chart as chartQuery } from '../consult/queries';
import { visit as visitQuery } from './queries';

/** Where the patient is touched: there the quick line is always in reach, at the same place. */
const clinical = ['rooming', 'note', 'orders', 'prescriptions'];

export default function VisitPage() {
  const { id = '', part = 'note' } = useParams();
  const { setInHand } = useSession();
  const navigate = useNavigate();
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const look = useLook(visitQuery(id));
  const chart = useLook(chartQuery(id), may('see_chart'));
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
    may('check_in') && { id: 'check-in', label: 'Check-in', content: <CheckIn key={id} view={view} /> },
    may('see_chart') &&
      chart.data !== undefined && {
        id: 'rooming',
        label: 'Rooming',
        content: <Rooming view={view} chart={chart.data} />,
      },
    may('see_chart') &&
      chart.data !== undefined && { id: 'note', label: 'Note', content: <Note view={view} chart={chart.data} /> },
    may('see_chart') &&
      chart.data !== undefined && { id: 'orders', label: 'Orders', content: <Orders view={view} chart={chart.data} /> },
    may('see_chart') &&
      chart.data !== undefined && {
        id: 'prescriptions',
        label: 'Prescriptions',
        content: <Prescriptions view={view} chart={chart.data} />,
      },
    may('see_charges') && { id: 'charges', label: 'Charges', content: <Charges view={view} /> },
    may('see_charges') && { id: 'money', label: 'Balance', content: <Money key={id} view={view} /> },
  ];
  const shown = items.filter((t): t is TabItem => t !== false);
  const value = shown.some((t) => t.id === part) ? part : (shown[0]?.id ?? '');
  return (
    <Page>
      <AsOf look={look} />
      <Head style={{ marginBottom: space(3) }}>
        <h1>{identity(person, visit.callSign)}</h1>
        <p>
          {visit.reason} · {times.day(visit.startsAt)} {times.time(visit.startsAt)}
        </p>
      </Head>
      {chart.error?.is('restricted-chart') && <Restricted person={person.id} message={chart.error.message} />}
      {chart.data !== undefined && may('record_vitals') && (
        // Hidden and not gone: what was typed is there again.
        <div hidden={!clinical.includes(value)}>
          <QuickLine key={id} visit={id} main={value === 'rooming'} />
        </div>
      )}
      <Tabs
        label="Parts of the visit"
        items={shown}
        value={value}
        onChange={(next) => navigate(`/visits/${id}/${next}`)}
      />
    </Page>
  );
}
