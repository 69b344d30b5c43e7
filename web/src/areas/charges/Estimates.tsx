/** Written estimates for who pays alone: what was given, and a new one. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, plainDate, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Row, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Unanswered } from '../../ui/Unanswered';
import { ServiceFinder } from './ServiceFinder';
import { estimateOf, estimates, services } from './queries';

const open = (person: string, id: string) => window.open(`/api/people/${person}/estimates/${id}/paper`, '_blank');

interface Chosen {
  code: string;
  name: string;
  units: string;
  cents: number | null;
}

function NewEstimate(p: {
  person: string;
  visit?: string | undefined;
  begin: Schemas['EstimateBegin'] | null;
  onClose: () => void;
}) {
  const usual = p.begin?.services.filter((s) => s.usual) ?? [];
  const [chosen, setChosen] = useState<Chosen[]>(
    usual.map((s) => ({ code: s.code, name: s.name, units: '1', cents: s.priceCents ?? null })),
  );
  const [day, setDay] = useState('');
  const [reason, setReason] = useState(p.begin?.reason ?? '');
  const [diagnoses, setDiagnoses] = useState('');
  const { run, busy, refusal } = useDo();
  const units = (c: Chosen) => (/^[0-9]{1,3}$/.test(c.units.trim()) ? Number(c.units) : 0);
  const total = chosen.reduce((sum, c) => sum + (c.cents ?? 0) * units(c), 0);
  const take = (s: Schemas['ServiceView']) => {
    const own = p.begin?.services.find((b) => b.code === s.service.code);
    const cents = (own ? own.priceCents : s.aloneCents) ?? null;
    const again = (c: Chosen) => (c.code === s.service.code ? { ...c, units: String(units(c) + 1) } : c);
    if (chosen.some((c) => c.code === s.service.code)) setChosen(chosen.map(again));
    else setChosen([...chosen, { code: s.service.code, name: s.service.name, units: '1', cents }]);
  };
  const give = async () => {
    const params = { path: { id: p.person } };
    const listed = chosen.map((c) => ({ code: c.code, units: units(c) }));
    const body = { visitId: p.visit ?? null, day, reason, diagnoses, services: listed };
    const made = await run(() => api.POST('/api/people/{id}/estimates', { params, body }));
    if (!made) return;
    open(p.person, made.id);
    p.onClose();
  };
  return (
    <Dialog title="Written estimate" open onClose={p.onClose} wide>
      <Form refusal={refusal} onSave={give}>
        <Columns $min={part.field}>
          <Field label="What it is for" name="reason" value={reason} onChange={setReason} autoFocus />
          {p.begin ? (
            <Field label="Day" value={plainDate(p.begin.day)} onChange={() => undefined} isDisabled />
          ) : (
            <Field label="Day" name="day" value={day} onChange={setDay} hint="Empty while it is not booked." />
          )}
          <Field
            label="Codes of the diagnoses"
            name="diagnoses"
            value={diagnoses}
            onChange={setDiagnoses}
            hint="As far as they are known."
          />
        </Columns>
        <Table data-estimated>
          <tbody>
            {chosen.map((c, n) => (
              <tr key={c.code}>
                <td>{c.name}</td>
                <td className="number">
                  <Mono>{c.cents == null ? 'no price' : dollars(c.cents)}</Mono>
                </td>
                <td>
                  <Field
                    label={`How often ${c.name}`}
                    hideLabel
                    value={c.units}
                    onChange={(u) => setChosen(chosen.map((o, at) => (at === n ? { ...o, units: u } : o)))}
                  />
                </td>
                <td className="number">
                  <Mono>{dollars((c.cents ?? 0) * units(c))}</Mono>
                </td>
                <td>
                  <Button
                    $kind="quiet"
                    aria-label={`Leave out ${c.name}`}
                    onPress={() => setChosen(chosen.filter((_, at) => at !== n))}
                  >
                    Leave out
                  </Button>
                </td>
              </tr>
            ))}
            <tr>
              <td>
                <strong>Expected charges</strong>
              </td>
              <td />
              <td />
              <td className="number">
                <strong>
                  <Mono>{dollars(total)}</Mono>
                </strong>
              </td>
              <td />
            </tr>
          </tbody>
        </Table>
        <ServiceFinder alone label="Add a service" name="services" onTake={take} />
        <Small>
          At the prices of who pays alone. The paper says what the law asks along with it, and is kept as it was given.
        </Small>
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy || chosen.length === 0}>
            Give the estimate
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

/** Waits for what the visit's type usually brings, so that nothing typed is lost when it comes. */
function Begin(p: { person: string; visit: string; onClose: () => void }) {
  const look = useLook(estimateOf(p.visit));
  // Prices are there before the first is chosen.
  const priced = useLook(services());
  if (!look.data || !priced.data) return <Unanswered look={look} />;
  return <NewEstimate {...p} begin={look.data} />;
}

export function Estimates(p: { person: string; visit?: string | undefined }) {
  const may = useMay();
  const times = useTimes();
  const look = useLook(estimates(p.person), may('edit_coverage'));
  const begin = useLook(estimateOf(p.visit ?? ''), may('edit_coverage') && p.visit !== undefined);
  const [making, setMaking] = useState(false);
  if (!may('edit_coverage')) return null;
  const all = look.data ?? [];
  const given = p.visit !== undefined && all.some((e) => e.visitId === p.visit);
  return (
    <Stack $gap={2} data-estimates>
      {all.map((e) => (
        <Row key={e.id} data-estimate={e.totalCents}>
          <Mono>{dollars(e.totalCents)}</Mono>
          <span>{e.reason}</span>
          <Small>
            {e.day ? `for ${plainDate(e.day)}` : 'not booked'}, given on {times.full(e.madeAt)} by {e.madeBy}
          </Small>
          {p.visit !== undefined && e.visitId === p.visit && <Tag $tone="kelp">this visit</Tag>}
          <Spread />
          <Button
            $kind="quiet"
            aria-label={`Paper of the estimate of ${dollars(e.totalCents)}`}
            onPress={() => open(p.person, e.id)}
          >
            Paper
          </Button>
        </Row>
      ))}
      <Row>
        <Button onPress={() => setMaking(true)}>Write an estimate</Button>
        {begin.data?.due && !given && <Small>Due by {plainDate(begin.data.due)} for who pays alone.</Small>}
      </Row>
      {making && p.visit && <Begin person={p.person} visit={p.visit} onClose={() => setMaking(false)} />}
      {making && !p.visit && <NewEstimate person={p.person} begin={null} onClose={() => setMaking(false)} />}
    </Stack>
  );
}
