/** Why do we owe this? The river, the payer's reasons, every entry, and taking a payment. */

import { Unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { dollars, plainDate, useTimes } from '../../app/words';
import { Notice, Scroller, Sheet, Small, Stack, Table, Tag } from '../../ui/layout';
import { River } from '../../ui/River';
import { Collect } from './Collect';
import { Payments } from './Account';
import { Reductions } from './Reductions';
import { moneyOf } from './queries';

export function Money({ view }: { view: Schemas['VisitView'] }) {
  const visit = view.card.visit.id;
  // Money lies in the till where one works, whatever site the visit is of.
  const { site } = useSession();
  const times = useTimes();
  const look = useLook(moneyOf(visit));
  const data = look.data;
  const owes = data?.river.patientOwesCents ?? 0;
  const due = owes > 0 && view.river.payerOwesCents === 0;
  // The receipt stays in sight after the last cent was taken.
  const [taking, setTaking] = useState(due);
  if (due && !taking) setTaking(true);
  if (!data) return <Unanswered look={look} />;
  return (
    <Stack $gap={0}>
      <Sheet>
        <h2>Balance of this visit</h2>
        <River parts={data.river.parts} />
      </Sheet>
      {data.decisions.length > 0 && (
        <Sheet>
          <h2>What the payer said</h2>
          <Stack $gap={2}>
            {data.decisions.flatMap((d) =>
              d.explanation.map((sentence) => (
                <Notice key={d.id + sentence} $tone={d.status === '4' ? 'coral' : 'tide'}>
                  {sentence}
                </Notice>
              )),
            )}
            {data.papers.map((p) => (
              <Small key={p.remittanceId}>
                <a href={`/api/files/${p.documentId}`}>{p.letter ? 'The letter' : 'The file'}</a> of{' '}
                {plainDate(p.paidOn)}, number {p.trace}
              </Small>
            ))}
          </Stack>
        </Sheet>
      )}
      {taking && (
        <Sheet>
          {/* What is taken stands on the button: of a household it can be more than this visit's. */}
          <h2>{due ? 'Take a payment' : 'Nothing is left to take'}</h2>
          <Stack>
            <Collect person={view.person.id} site={site?.id ?? view.card.visit.siteId} propose={Math.max(owes, 0)} />
            <Payments person={view.person.id} />
          </Stack>
        </Sheet>
      )}
      <Reductions visit={visit} />
      <Sheet>
        <h2>Every entry</h2>
        {data.transactions.length === 0 && <p>Nothing is posted yet.</p>}
        {data.transactions.length > 0 && (
          <Scroller>
            <Table>
              <tbody>
                {data.transactions.map((t) => (
                  <tr key={t.id}>
                    <td>
                      <Small>
                        {times.full(t.at)} {times.time(t.at)}
                      </Small>
                    </td>
                    <td>
                      <Tag>{t.kind}</Tag> {t.memo}
                    </td>
                    <td>
                      {t.entries.map((e, i) => (
                        <div key={i}>
                          {e.account} <Small>{e.memo}</Small>
                        </div>
                      ))}
                    </td>
                    <td className="number">
                      {t.entries.map((e, i) => (
                        <div key={i}>{dollars(e.cents)}</div>
                      ))}
                    </td>
                    <td>
                      <Small>{t.by}</Small>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
      </Sheet>
    </Stack>
  );
}
