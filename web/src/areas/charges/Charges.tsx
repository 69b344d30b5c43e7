/** Charges: the suggested level with its reasoning, lines with pointers, and the claim check beside them. */

import { Unanswered } from '../../ui/Unanswered';
import { useEffect, useRef } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { amountText, dollars } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { Restricted } from '../visit_line/Restricted';
import { Completed, Corrected, OpenAgain } from './Again';
import { ClaimCheck } from './ClaimCheck';
import { ForClaim } from './ForClaim';
import { type Line, Lines } from './Lines';
import { ServiceFinder } from './ServiceFinder';
import { charges, services as servicesQuery } from './queries';

/** Saves one change of the lines after another, each upon what the one before wanted: a second press before the first is answered
    undoes nothing. */
function useInTurn(visit: string, run: ReturnType<typeof useDo>['run'], answered: unknown) {
  const wanted = useRef<Line[] | null>(null);
  const under = useRef(0);
  const chain = useRef<Promise<unknown>>(Promise.resolve());
  useEffect(() => {
    if (under.current === 0) wanted.current = null;
  }, [answered]);
  return (next: (now: Line[]) => Line[], lines: Line[]) => {
    const body = next(wanted.current ?? lines);
    wanted.current = body;
    under.current += 1;
    chain.current = chain.current.then(async () => {
      const saved = await run(() => api.PUT('/api/visits/{id}/charges', { params: { path: { id: visit } }, body }));
      under.current -= 1;
      if (!saved) wanted.current = null;
    });
  };
}

export function Charges({ view }: { view: Schemas['VisitView'] }) {
  const visit = view.card.visit.id;
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: visit } } };
  const look = useLook(charges(visit));
  const services = useLook(servicesQuery());
  const inTurn = useInTurn(visit, run, look.data);
  const data = look.data;
  if (!data) return <Unanswered look={look} />;
  const lines: Line[] = data.lines.map((l) => ({
    id: l.line.id,
    serviceCode: l.line.serviceCode,
    units: l.line.units,
    modifiers: l.line.modifiers,
    pointers: l.line.pointers,
    ownPrice: l.line.ownPriceCents == null ? '' : amountText(l.line.ownPriceCents),
    ownPriceReason: l.line.ownPriceReason,
  }));
  const open = may('edit_charges') && !data.completed;
  const save = (next: (now: Line[]) => Line[]) => inTurn(next, lines);
  // Of one diagnosis it is clear what a line is for; of several somebody says it.
  const onlyPointer = data.diagnoses.length === 1 ? [1] : [];
  // A visit is for what it is documented for; four a line at most.
  const everyPointer = data.diagnoses.slice(0, 4).map((d) => d.position);
  const add = (code: string, pointers = onlyPointer) =>
    save((now) => [...now, { serviceCode: code, units: 1, modifiers: [], pointers }]);
  const suggested = services.data?.find((s) => s.service.code === data.suggestedService)?.service;
  // One visit has one level; the suggestion rests once a level stands among the lines.
  const leveled = lines.some(
    (l) => services.data?.find((s) => s.service.code === l.serviceCode)?.service.level != null,
  );
  const complete = () => api.POST('/api/visits/{id}/charges/complete', path);
  // Most visits are charged with the level alone that their note carries: one press, when nothing else is in the way.
  const alone = data.lacksOnlyLines ? suggested : undefined;
  const only = async (code: string) => {
    const body = [{ serviceCode: code, units: 1, modifiers: [], pointers: everyPointer }];
    if (await run(() => api.PUT('/api/visits/{id}/charges', { ...path, body }))) await run(complete);
  };
  const unrelated = (pair: string) =>
    void run(() => api.PUT('/api/visits/{id}/unrelated', { ...path, body: { pair, unrelated: true } }));
  return (
    <Stack $gap={0}>
      {data.diagnosesWithheld &&
        (view.chartClosed && may('see_chart') ? (
          <Restricted person={view.person.id} message={data.diagnosesWithheld} />
        ) : (
          <Notice $tone="tide">{data.diagnosesWithheld}</Notice>
        ))}
      {data.openAgain && <OpenAgain visit={visit} correction={data.openAgain} />}
      <Sheet>
        <h2>Charge lines</h2>
        {data.lines.length > 0 && <Lines data={data} open={open} onSave={save} />}
        {data.lines.length === 0 && <Empty>No charge yet. Take the suggested level, or find a service.</Empty>}
        <Row style={{ marginTop: space(3) }}>
          {data.asked.length > 1 && !data.completed && <Small>Prices by {data.asked.join(', then ')}</Small>}
          <Spread />
          <strong>
            <Mono>{dollars(data.totalCents)}</Mono>
          </strong>
        </Row>
        {open && (
          <Stack style={{ marginTop: space(3) }}>
            {!leveled && view.card.visit.kind !== 'charge' && (
              <Row>
                {suggested && (
                  <Button onPress={() => add(suggested.code, everyPointer)} isDisabled={busy}>
                    Add {suggested.name}
                  </Button>
                )}
                <Small>
                  {data.newPatient && 'New patient. '}
                  {data.reasons.join(' ')}
                </Small>
              </Row>
            )}
            {data.nextLevel.length > 0 && (
              <details data-next-level>
                <summary style={{ cursor: 'pointer' }}>
                  <Small>What the next level would have to document</Small>
                </summary>
                {data.nextLevel.map((n) => (
                  <Small key={n} style={{ display: 'block' }}>
                    {n}
                  </Small>
                ))}
              </details>
            )}
            <ServiceFinder label="Add a service" onTake={(s) => add(s.service.code)} />
          </Stack>
        )}
      </Sheet>
      {!data.completed && (
        <Sheet aria-label="Claim check">
          <h2>Claim check</h2>
          <Stack>
            <ClaimCheck
              data={data}
              person={view.person.id}
              visit={visit}
              {...(open ? { onUnrelated: unrelated } : {})}
            />
            {view.card.visit.kind !== 'charge' && (
              <ForClaim visit={visit} person={view.person.id} open={!data.completed} />
            )}
            {refusal && (
              <Notice $tone="coral" role="alert">
                {refusal.message}
              </Notice>
            )}
            {open && (
              <Row>
                <Spread />
                {alone ? (
                  <Button $kind="filled" isDisabled={busy} onPress={() => void only(alone.code)}>
                    Charge {alone.name}, and complete
                  </Button>
                ) : (
                  <Button $kind="filled" isDisabled={busy || !data.ready} onPress={() => void run(complete)}>
                    {data.openAgain ? 'Charge again' : 'Complete charges'}
                  </Button>
                )}
              </Row>
            )}
          </Stack>
        </Sheet>
      )}
      {data.completed && <Completed visit={visit} />}
      <Corrected all={data.corrected} />
    </Stack>
  );
}
