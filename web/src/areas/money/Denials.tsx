/** Denial work: what payers did not pay, what is due first at the top; each opens with what helps and what can be done. */

import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { dollars, plainDate, useIdentity } from '../../app/words';
import { Choose, Pick } from '../../ui/controls';
import { Empty, Mono, Opens, Row, Scroller, Small, Spread, Stack, SteadyTable, Tag } from '../../ui/layout';
import { Pages, usePages } from '../../ui/Pages';
import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { Denial, DenialState } from './Denial';
import { DenialRates } from './DenialRates';
import { denials, type DenialsSought } from './queries';

/** So many come at once. */
const PAGE = 100;

/** Of the columns, in per cent. */
const widths = [13, 16, 30, 10, 14, 17];

const which = [
  { id: 'open', label: 'To be worked on' },
  { id: 'mine', label: 'Mine' },
  { id: 'ended', label: 'Ended' },
  { id: 'rates', label: 'Rates' },
];

export function Denials() {
  const { clinic } = useSession();
  const [part, setPart] = useState('open');
  const [payerId, setPayer] = useState('');
  const [opened, setOpened] = useState<string | null>(null);
  const payers = [{ id: '', label: 'Every payer' }, ...clinic.payers.map((p) => ({ id: p.id, label: p.name }))];
  return (
    <Stack>
      <Row $align="end">
        <Choose label="Denials shown" hideLabel value={part} onChange={setPart} choices={which} />
        <Spread />
        {part !== 'rates' && <Pick label="Payer" value={payerId} onChange={setPayer} choices={payers} />}
      </Row>
      {part === 'rates' ? (
        <DenialRates />
      ) : (
        <List sought={{ ended: part === 'ended', mine: part === 'mine', payerId }} onOpen={setOpened} />
      )}
      {opened && <Denial id={opened} onClose={() => setOpened(null)} />}
    </Stack>
  );
}

function List({ sought, onOpen }: { sought: DenialsSought; onOpen: (id: string) => void }) {
  const pages = usePages(JSON.stringify(sought));
  const look = useLook(denials(sought, pages.after));
  const list = look.data ?? [];
  const sum = list.reduce((all, d) => all + d.denial.cents, 0);
  if (unanswered(look) && !look.data) return <Unanswered look={look} />;
  if (list.length === 0 && pages.number === 1) {
    const none = sought.ended ? 'No denial has ended yet.' : 'Nothing that a payer denied waits here.';
    return <Empty>{none}</Empty>;
  }
  return (
    <Stack $gap={2}>
      <Row>
        <AsOf look={look} />
        <Small>
          {list.length === 1 ? 'One denial' : `${list.length} denials`} over <Mono>{dollars(sum)}</Mono>
          {(list.length === PAGE || pages.number > 1) && ' on this page'}
        </Small>
      </Row>
      <Scroller>
        <SteadyTable widths={widths}>
          <thead>
            <tr>
              <th>{sought.ended ? 'Won back' : 'Due'}</th>
              <th>Patient</th>
              <th>Not paid because</th>
              <th className="number">Amount</th>
              <th>Payer, claim</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {list.map((d) => (
              <Line key={d.denial.id} view={d} onOpen={onOpen} />
            ))}
          </tbody>
        </SteadyTable>
      </Scroller>
      <Pages pages={pages} last={list.length === PAGE ? list.at(-1)?.denial.id : undefined} busy={!look.data} />
    </Stack>
  );
}

function Line({ view: d, onOpen }: { view: Schemas['DenialView']; onOpen: (id: string) => void }) {
  const identity = useIdentity();
  const due = d.denial.dueOn ? plainDate(d.denial.dueOn) : 'the payer told no days';
  return (
    <tr data-denial={d.claim}>
      <td>
        {d.denial.endedAt ? (
          <Mono>{dollars(d.denial.wonCents)}</Mono>
        ) : d.overdue ? (
          <Tag $tone="coral">{due}, past</Tag>
        ) : (
          <Small>{due}</Small>
        )}
      </td>
      <td>
        <Opens onClick={() => onOpen(d.denial.id)}>{identity(d.person)}</Opens>
        <div>
          <Small>visit of {plainDate(d.day)}</Small>
        </div>
      </td>
      <td>
        {d.reasons.map((r, n) => (
          <div key={n}>{r.words}</div>
        ))}
        {!d.denial.endedAt && <Small>{d.helps}</Small>}
      </td>
      <td className="number">
        <Mono>{dollars(d.denial.cents)}</Mono>
      </td>
      <td>
        {d.payer}
        <div>
          <Mono>{d.claim}</Mono>
        </div>
      </td>
      <td>
        <DenialState state={d.denial.state} />
        <div>
          <Small>{d.owner ?? 'nobody works on it'}</Small>
        </div>
      </td>
    </tr>
  );
}
