/** The work list of claims: what is looked for, what it comes to, and what is sent. */

import { AsOf, Unanswered, unanswered } from '../../ui/Unanswered';
import { useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { dollars, plainDate, useIdentity } from '../../app/words';
import { Button, Check, Choose, Field, Pick } from '../../ui/controls';
import { Empty, Mono, Notice, Opens, Row, Scroller, Small, Spread, Stack, SteadyTable, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { History, saidOf } from './History';
import { claims, claimSums, type Sought } from './queries';
import { shape, tone } from './states';
import { Views } from './Views';
import { useGradually } from '../../ui/gradually';

/** Of the columns, in per cent. */
const widths = [4, 8, 17, 12, 18, 9, 11, 11, 10];

/** So many are shown at first, and so many more each time. */
const PAGE = 200;

const nothing: Sought = {
  state: '',
  payerId: '',
  clinicianId: '',
  siteId: '',
  by: 'service',
  from: '',
  to: '',
  wrong: false,
};

/** What is looked for; days as they are typed, sent when the field is left. */
function Filter({ sought, onChange }: { sought: Sought; onChange: (s: Sought) => void }) {
  const { clinic } = useSession();
  const [from, setFrom] = useState(sought.from);
  const [to, setTo] = useState(sought.to);
  const all = (word: string) => ({ id: '', label: word });
  const leave = () => {
    if (from !== sought.from || to !== sought.to) onChange({ ...sought, from, to });
  };
  const set = (part: Partial<Sought>) => onChange({ ...sought, from, to, ...part });
  return (
    <Stack $gap={2} role="search" aria-label="Claims looked for">
      <Choose
        label="State"
        hideLabel
        value={sought.state}
        onChange={(state) => set({ state })}
        choices={[all('All'), ...useWords('claimStates')]}
      />
      <Row $gap={2} $align="end">
        <Pick
          label="Payer"
          value={sought.payerId}
          onChange={(payerId) => set({ payerId })}
          choices={[all('Every payer'), ...clinic.payers.map((p) => ({ id: p.id, label: p.name }))]}
        />
        <Pick
          label="Clinician"
          value={sought.clinicianId}
          onChange={(clinicianId) => set({ clinicianId })}
          choices={[
            all('Everybody'),
            ...clinic.staff.filter((s) => s.role === 'clinician').map((s) => ({ id: s.id, label: s.name })),
          ]}
        />
        {clinic.sites.length > 1 && (
          <Pick
            label="Site"
            value={sought.siteId}
            onChange={(siteId) => set({ siteId })}
            choices={[all('Every site'), ...clinic.sites.map((s) => ({ id: s.id, label: s.name }))]}
          />
        )}
        <Pick label="By" value={sought.by} onChange={(by) => set({ by })} choices={useWords('claimDays')} />
        <div style={{ width: space(24) }} onBlur={leave}>
          <Field label="From" value={from} onChange={setFrom} placeholder="1 nov" />
        </div>
        <div style={{ width: space(24) }} onBlur={leave}>
          <Field label="To" value={to} onChange={setTo} placeholder="today" />
        </div>
        <Check label="Something is wrong" value={sought.wrong} onChange={(wrong) => set({ wrong })} />
      </Row>
    </Stack>
  );
}

export function ClaimsList() {
  const { setInHand } = useSession();
  const [sought, setSought] = useState(nothing);
  const [limit, setLimit] = useState(PAGE);
  const [viewed, setViewed] = useState(0);
  const [chosen, setChosen] = useState<string[]>([]);
  const [opened, setOpened] = useState<string | null>(null);
  const [answer, setAnswer] = useState<Schemas['BatchAnswer'] | null>(null);
  const identity = useIdentity();
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const look = useLook(claims(sought, limit));
  const sums = useLook(claimSums(sought)).data;
  const list = look.data ?? [];
  const inSight = useGradually(list);
  // Whoever comes from a visit comes for its claim.
  const [params] = useSearchParams();
  const wanted = params.get('visit');
  const found = wanted ? list.find((c) => c.visit.id === wanted)?.claim.id : undefined;
  const [shown, setShown] = useState<string | null>(null);
  if (found && wanted !== shown) {
    setShown(wanted);
    setOpened(found);
  }
  const ready = list.filter((c) => c.claim.state === 'ready').map((c) => c.claim.id);
  const picked = chosen.filter((id) => ready.includes(id));
  const total = list.filter((c) => picked.includes(c.claim.id)).reduce((sum, c) => sum + c.claim.totalCents, 0);
  // A range goes from the claim chosen last to the one pressed with Shift.
  const [last, setLast] = useState<string | null>(null);
  const shift = useRef(false);
  const choose = (id: string, on: boolean) => {
    const [from, to] = [ready.indexOf(last ?? id), ready.indexOf(id)];
    const range = shift.current && from >= 0 ? ready.slice(Math.min(from, to), Math.max(from, to) + 1) : [id];
    setLast(id);
    setChosen((all) => (on ? [...new Set([...all, ...range])] : all.filter((x) => !range.includes(x))));
  };
  useKeys({ 'ctrl+a': () => setChosen(ready) });
  const lookFor = (s: Sought) => {
    setSought(s);
    setLimit(PAGE);
  };
  const batch = async (checkOnly: boolean) => {
    const made = await run(() => api.POST('/api/batches', { body: { claimIds: picked, checkOnly } }));
    if (made) {
      setAnswer(made);
      if (made.batch) setChosen([]);
    }
  };
  return (
    <Stack>
      <Views
        sought={sought}
        nothing={nothing}
        onLook={(s) => {
          lookFor(s);
          setViewed((n) => n + 1);
        }}
      />
      {/* The days of a view stand in its fields. */}
      <Filter key={viewed} sought={sought} onChange={lookFor} />
      <Row>
        {sums && (
          <strong data-sums>
            {sums.more ? 'More than 10,000 claims' : `${sums.claims} ${sums.claims === 1 ? 'claim' : 'claims'}`}
            {', '}
            <Mono>{dollars(sums.cents)}</Mono>
            {sums.more && ' the latest 10,000'}
          </strong>
        )}
        <Spread />
        {may('claims') && (
          <Row $gap={2}>
            <Button isDisabled={!look.data} onPress={() => setChosen(ready)}>
              {look.data ? `Choose all ${ready.length} ready` : 'Choose all ready'}
            </Button>
            <Button isDisabled={busy || picked.length === 0} onPress={() => void batch(true)}>
              Check only
            </Button>
            <Button $kind="filled" isDisabled={busy || picked.length === 0} onPress={() => void batch(false)}>
              Send {picked.length > 0 ? `${picked.length}, ${dollars(total)}` : 'a batch'}
            </Button>
          </Row>
        )}
      </Row>
      <AsOf look={look} />
      {unanswered(look) && <Unanswered look={look} />}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {answer && <Notice $tone={answer.findings.length > 0 ? 'coral' : 'kelp'}>{saidOf(answer)}</Notice>}
      {look.data && list.length === 0 && <Empty>No such claim. A claim is made when charges are completed.</Empty>}
      {list.length > 0 && (
        <Scroller>
          <SteadyTable widths={widths}>
            <thead>
              <tr>
                <th aria-label="Chosen" />
                <th>Claim</th>
                <th>Patient</th>
                <th>Day of service</th>
                <th>Payer</th>
                <th className="number">Charge</th>
                <th>State</th>
                <th>Deadline</th>
                <th>What it says</th>
              </tr>
            </thead>
            <tbody>
              {inSight.map(({ claim, person, payer, visit, deadline }) => (
                <tr
                  key={claim.id}
                  data-selected={picked.includes(claim.id)}
                  data-claim={claim.number}
                  data-claim-of={person.recordNumber}
                >
                  <td
                    onPointerDownCapture={(event) => (shift.current = event.shiftKey)}
                    onKeyDownCapture={(event) => (shift.current = event.shiftKey)}
                  >
                    {claim.state === 'ready' && may('claims') && (
                      <Check
                        label=""
                        ariaLabel={`Choose claim ${claim.number}`}
                        value={picked.includes(claim.id)}
                        onChange={(on) => choose(claim.id, on)}
                      />
                    )}
                  </td>
                  <td>
                    <Opens
                      type="button"
                      data-item
                      onClick={() => {
                        setOpened(claim.id);
                        setInHand({ visit: visit.id });
                      }}
                    >
                      <Mono>{claim.number}</Mono>
                    </Opens>
                  </td>
                  <td>{identity(person, visit.callSign)}</td>
                  <td>
                    <Mono>{plainDate(visit.day)}</Mono>
                  </td>
                  <td>{payer}</td>
                  <td className="number">{dollars(claim.totalCents)}</td>
                  <td>
                    <Tag $tone={tone[claim.state] ?? 'plain'}>
                      {shape[claim.state]} {claim.state}
                    </Tag>
                  </td>
                  <td>
                    <Small>{deadline ? plainDate(deadline) : 'not told'}</Small>
                  </td>
                  <td>
                    <Small>
                      {claim.frequency === '7' && 'Replaces one that the payer has. '}
                      {claim.frequency === '8' && 'Voids one that the payer has. '}
                      {claim.reasons.join('; ')}
                    </Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </SteadyTable>
        </Scroller>
      )}
      {list.length === limit && (
        <Row>
          <Button isDisabled={limit >= 1000} onPress={() => setLimit(Math.min(1000, limit + PAGE))}>
            {limit >= 1000 ? 'Narrow the list to see more' : `Show ${PAGE} more`}
          </Button>
        </Row>
      )}
      {opened && <History id={opened} onClose={() => setOpened(null)} />}
    </Stack>
  );
}
