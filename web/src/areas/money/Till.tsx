/** The till: opened with its cash, closed as it was counted; every difference has its reason. */

import { Faults, Form, Refused } from '../../ui/Form';
import { Unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { amountText, dollars, useTimes } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Empty, Mono, Row, Scroller, Sheet, Small, Spread, Stack, Table } from '../../ui/layout';
import { meansOf, ReceiptDialog } from './Receipt';
import { till as tillQuery } from './queries';

const words: Record<string, string> = {
  cash: 'Cash',
  card: 'Card slips',
  cheque: 'Cheques',
  transfer: 'Transfers',
};
type Counts = Record<string, string>;

function Count({ till, site }: { till: Schemas['TillView']; site: string }) {
  const [counts, setCounts] = useState<Counts>({});
  const [stays, setStays] = useState('');
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  // What should be there is told when it was counted, so that nobody counts towards it.
  const [compared, setCompared] = useState(false);
  if (refusal?.is('till') && !compared) setCompared(true);
  const close = () => {
    const of = (m: string) => counts[m] ?? '';
    const body = { cash: of('cash'), card: of('card'), cheque: of('cheque'), transfer: of('transfer'), stays, reason };
    void run(() => api.POST('/api/sites/{id}/till/closing', { params: { path: { id: site } }, body }));
  };
  return (
    <Sheet>
      <h2>Count and close</h2>
      {/* No form: Enter between two counts must not close the till. */}
      <Faults refusal={refusal}>
        <Stack>
          <Scroller>
            <Table>
              <thead>
                <tr>
                  <th>Means</th>
                  <th>Counted</th>
                  {compared && <th className="number">Expected</th>}
                </tr>
              </thead>
              <tbody>
                {till.expected.map((e) => (
                  <tr key={e.method} data-expected={e.method}>
                    <td>{words[e.method]}</td>
                    <td>
                      <Field
                        label={`Counted, ${words[e.method]?.toLowerCase()}`}
                        hideLabel
                        value={counts[e.method] ?? ''}
                        onChange={(text) => setCounts({ ...counts, [e.method]: text })}
                        name={e.method}
                      />
                    </td>
                    {compared && (
                      <td className="number">
                        <Mono>{dollars(e.cents)}</Mono>
                      </td>
                    )}
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
          <Refused />
          <Row $align="end">
            <Field name="stays" label="Cash that stays in the drawer" value={stays} onChange={setStays} />
            <Field name="reason" label="Why it differs, when it does" value={reason} onChange={setReason} />
            <Spread />
            <Button $kind="filled" isDisabled={busy} onPress={close}>
              Close the till
            </Button>
          </Row>
        </Stack>
      </Faults>
    </Sheet>
  );
}

function Opening({ till, site }: { till: Schemas['TillView']; site: string }) {
  const [cash, setCash] = useState<string | null>(null);
  const { run, busy, refusal } = useDo();
  const typed = cash ?? (till.leftCents > 0 ? amountText(till.leftCents) : '');
  return (
    <Sheet>
      <h2>Open the till</h2>
      <Form
        refusal={refusal}
        onSave={() =>
          run(() => api.POST('/api/sites/{id}/till/opening', { params: { path: { id: site } }, body: { cash: typed } }))
        }
      >
        <Row $align="end">
          <Field name="cash" label="Cash in the drawer" value={typed} onChange={setCash} />
          <Button $kind="filled" isDisabled={busy} type="submit">
            Open with this cash
          </Button>
          {till.leftCents > 0 && <Small>{dollars(till.leftCents)} stayed in it at the last count.</Small>}
        </Row>
        <Refused />
      </Form>
    </Sheet>
  );
}

export function Till() {
  const { clinic, site: here } = useSession();
  const times = useTimes();
  const [site, setSite] = useState(here?.id ?? '');
  const [shown, setShown] = useState<Schemas['Receipt'] | null>(null);
  const look = useLook(tillQuery(site));
  const till = look.data;
  return (
    <Stack $gap={4}>
      <Row>
        <Pick
          label="Site"
          value={site}
          onChange={setSite}
          choices={clinic.sites.map((s) => ({ id: s.id, label: s.name }))}
        />
      </Row>
      {!till && <Unanswered look={look} />}
      {till && !till.open?.openedAt && <Opening till={till} site={site} />}
      {till?.open && <Count key={till.open.id} till={till} site={site} />}
      {till && (
        <Sheet>
          <h2>Taken and given since it was begun</h2>
          {till.movements.length === 0 && <Empty>Nothing has moved. The first payment begins the till.</Empty>}
          <Stack $gap={2}>
            {till.movements.map((m) => (
              <Row key={m.number} data-movement={m.kind}>
                <Mono>{times.time(m.at)}</Mono>
                <span>{m.payer}</span>
                <Small>
                  {meansOf(m)} {m.kind !== 'payment' && `· ${m.reason}`} {m.takenBack && '· taken back'}
                </Small>
                <Spread />
                <Mono>{dollars(m.cents)}</Mono>
                <Small>{m.by}</Small>
                <Button $kind="quiet" aria-label={`Receipt of ${m.payer}`} onPress={() => setShown(m)}>
                  Receipt
                </Button>
              </Row>
            ))}
          </Stack>
        </Sheet>
      )}
      {till && till.closed.length > 0 && (
        <Sheet>
          <h2>Counted before</h2>
          <Scroller>
            <Table>
              <thead>
                <tr>
                  <th>Closed</th>
                  <th>By</th>
                  <th className="number">Expected</th>
                  <th className="number">Counted</th>
                  <th className="number">Difference</th>
                  <th>Reason</th>
                </tr>
              </thead>
              <tbody>
                {till.closed.map(({ till: c, ...sums }) => (
                  <tr key={c.id} data-closed-till>
                    <td>
                      {times.full(c.closedAt ?? '')} {times.time(c.closedAt ?? '')}
                    </td>
                    <td>{c.closedBy}</td>
                    <td className="number">
                      <Mono>{dollars(sums.expectedCents)}</Mono>
                    </td>
                    <td className="number">
                      <Mono>{dollars(sums.countedCents)}</Mono>
                    </td>
                    <td className="number">
                      <Mono>{dollars(sums.differenceCents)}</Mono>
                    </td>
                    <td>{c.reason}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        </Sheet>
      )}
      {shown && <ReceiptDialog receipt={shown} onClose={() => setShown(null)} />}
    </Stack>
  );
}
