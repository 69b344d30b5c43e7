/** Claims, batches, denials, remittances, the bank; what is owed, statements, the months of the books. */

import { useNavigate, useSearchParams } from 'react-router';
import { useMay } from '../../app/session';
import { Tabs, type TabItem } from '../../ui/controls';
import { Head, WidePage } from '../../ui/layout';
import { SheetOfDay } from '../charges/SheetOfDay';
import { Bank } from '../money/Bank';
import { Batches } from './Batches';
import { ClaimsList } from './ClaimsList';
import { Denials } from '../money/Denials';
import { Months } from '../money/Months';
import { Receivables } from '../money/Receivables';
import { Remittances } from '../money/Remittances';
import { Statements } from '../money/Statements';
import { Till } from '../money/Till';

export default function Billing() {
  const may = useMay();
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const items: (TabItem | false)[] = [
    { id: 'day', label: 'Day', content: <SheetOfDay /> },
    { id: 'claims', label: 'Claims', content: <ClaimsList /> },
    may('take_money') && { id: 'till', label: 'Till', content: <Till /> },
    may('claims') && { id: 'batches', label: 'Batches', content: <Batches /> },
    may('claims') && { id: 'denials', label: 'Denials', content: <Denials /> },
    may('claims') && { id: 'remittances', label: 'Remittances', content: <Remittances /> },
    may('claims') && { id: 'bank', label: 'Bank', content: <Bank /> },
    may('claims') && { id: 'receivables', label: 'Receivables', content: <Receivables /> },
    may('claims') && { id: 'statements', label: 'Statements', content: <Statements /> },
    may('claims') && { id: 'months', label: 'Months', content: <Months /> },
  ];
  return (
    <WidePage>
      <Head>
        <h1>Billing</h1>
      </Head>
      <Tabs
        label="Billing"
        items={items.filter((t): t is TabItem => t !== false)}
        value={params.get('tab') ?? 'claims'}
        onChange={(tab) => {
          navigate(`/billing?tab=${tab}`);
        }}
      />
    </WidePage>
  );
}
