/** Charges: the suggested level with its reasoning, lines with pointers, and the claim check beside them. */

import { Form, Refused } from '../../ui/Form';
import { Unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { color, corner, font, hair, space } from '../../ui/tokens';
import { Restricted } from '../visit_line/Restricted';
import { charges, services as servicesQuery } from './queries';

type Line = Schemas['LineForm'];

const Pointer = styled.button`
  width: ${space(7.5)};
  height: ${space(7.5)};
  margin-right: ${space(1)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  font-family: ${font.mono};
  cursor: pointer;
  &[aria-pressed='true'] {
    background: ${color.selected};
    border-color: ${color.indigo};
    color: ${color.indigo};
    font-weight: 700;
  }
`;

function PriceOnTheSpot({ service, name }: { service: string; name: string }) {
  const [price, setPrice] = useState('');
  const { run, busy, refusal } = useDo();
  return (
    <Form
      refusal={refusal}
      onSave={() =>
        run(() => api.PUT('/api/services/{code}/price', { params: { path: { code: service } }, body: { price } }))
      }
    >
      <Row $gap={2}>
        <div style={{ width: 110 }}>
          <Field
            name="price"
            label={`Price of ${name}`}
            hideLabel
            value={price}
            onChange={setPrice}
            placeholder="Price"
          />
        </div>
        <Button type="submit" isDisabled={busy}>
          Set
        </Button>
      </Row>
      <Refused />
    </Form>
  );
}

export function Charges({ view }: { view: Schemas['VisitView'] }) {
  const visit = view.card.visit.id;
  const may = useMay();
  const [text, setText] = useState('');
  const { run, busy, refusal } = useDo();
  const path = { params: { path: { id: visit } } };
  const look = useLook(charges(visit));
  const services = useLook(servicesQuery());
  const accident = view.card.visit.accidentDate ?? '';
  const [accidentText, setAccident] = useState(accident);
  const data = look.data;
  if (!data) return <Unanswered look={look} />;
  const lines: Line[] = data.lines.map((l) => ({
    serviceCode: l.line.serviceCode,
    units: l.line.units,
    modifiers: l.line.modifiers,
    pointers: l.line.pointers,
  }));
  const open = may('edit_charges') && !data.completed;
  const save = (next: Line[]) => void run(() => api.PUT('/api/visits/{id}/charges', { ...path, body: next }));
  const firstPointer = data.diagnoses.length > 0 ? [1] : [];
  const add = (code: string) =>
    save([...lines, { serviceCode: code, units: 1, modifiers: [], pointers: firstPointer }]);
  const change = (i: number, part: Partial<Line>) => save(lines.map((l, n) => (n === i ? { ...l, ...part } : l)));
  const point = (i: number, n: number) => {
    const now = lines[i]?.pointers ?? [];
    change(i, { pointers: now.includes(n) ? now.filter((x) => x !== n) : [...now, n] });
  };
  const word = text.trim().toLowerCase();
  const found = word.length > 1 ? (services.data ?? []).filter((s) => s.service.name.toLowerCase().includes(word)) : [];
  const suggested = services.data?.find((s) => s.service.code === data.suggestedService)?.service;
  // One visit has one level; the suggestion rests once a level stands among the lines.
  const leveled = lines.some(
    (l) => services.data?.find((s) => s.service.code === l.serviceCode)?.service.level != null,
  );
  const ready = data.faults.length === 0;
  const complete = () => api.POST('/api/visits/{id}/charges/complete', path);
  // Most visits are charged with the level alone that their note carries: one press, when nothing else is in the way.
  const alone = data.lacksOnlyLines ? suggested : undefined;
  const only = async (code: string) => {
    const body = [{ serviceCode: code, units: 1, modifiers: [], pointers: firstPointer }];
    if (await run(() => api.PUT('/api/visits/{id}/charges', { ...path, body }))) await run(complete);
  };
  const needsAccident = data.faults.some((f) => f.code.startsWith('accident'));
  return (
    <Stack $gap={0}>
      {data.diagnosesWithheld &&
        (view.chartClosed && may('see_chart') ? (
          <Restricted person={view.person.id} message={data.diagnosesWithheld} />
        ) : (
          <Notice $tone="tide">{data.diagnosesWithheld}</Notice>
        ))}
      <Sheet>
        <h2>Charge lines</h2>
        {data.lines.length > 0 && (
          <Scroller>
            <Table>
              <thead>
                <tr>
                  <th>Line</th>
                  <th>Service</th>
                  <th>Code</th>
                  <th>Diagnoses it is for</th>
                  <th>Units</th>
                  <th className="number">Fee</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {data.lines.map((l, i) => (
                  <tr key={l.line.id} data-charge={l.line.serviceCode}>
                    <td>{l.line.number}</td>
                    <td>{l.service}</td>
                    <td>
                      <Mono>{l.externalCode}</Mono>
                    </td>
                    <td>
                      {data.diagnoses.map((d) => (
                        <Pointer
                          key={d.code}
                          type="button"
                          disabled={!open}
                          title={`${d.code} ${d.title}`}
                          aria-label={`${d.position}, line ${l.line.number} for ${d.code}`}
                          aria-pressed={l.line.pointers.includes(d.position)}
                          onClick={() => point(i, d.position)}
                        >
                          {d.position}
                        </Pointer>
                      ))}
                    </td>
                    <td>
                      {open ? (
                        <Row $gap={1}>
                          <Button
                            $kind="quiet"
                            aria-label={`Fewer units of ${l.service}`}
                            onPress={() => change(i, { units: Math.max(1, l.line.units - 1) })}
                          >
                            −
                          </Button>
                          <Mono>{l.line.units}</Mono>
                          <Button
                            $kind="quiet"
                            aria-label={`More units of ${l.service}`}
                            onPress={() => change(i, { units: l.line.units + 1 })}
                          >
                            +
                          </Button>
                        </Row>
                      ) : (
                        l.line.units
                      )}
                    </td>
                    <td className="number">
                      {l.priceCents == null ? (
                        may('set_prices') ? (
                          <PriceOnTheSpot service={l.line.serviceCode} name={l.service} />
                        ) : (
                          <Tag $tone="coral">no price</Tag>
                        )
                      ) : (
                        dollars(l.priceCents * l.line.units)
                      )}
                    </td>
                    <td>
                      {open && (
                        <Button
                          $kind="quiet"
                          aria-label={`Remove ${l.service}`}
                          onPress={() => save(lines.filter((_, n) => n !== i))}
                        >
                          Remove
                        </Button>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
        {data.lines.length === 0 && <Empty>No charge yet. Take the suggested level, or find a service.</Empty>}
        <Row style={{ marginTop: space(3) }}>
          <Spread />
          <strong>
            <Mono>{dollars(data.totalCents)}</Mono>
          </strong>
        </Row>
        {open && (
          <Stack style={{ marginTop: space(3) }}>
            {suggested && !leveled && (
              <Row>
                <Button onPress={() => add(suggested.code)} isDisabled={busy}>
                  Add {suggested.name}
                </Button>
                <Small>{data.reasons.join(' ')}</Small>
              </Row>
            )}
            <Finder
              label="Add a service"
              value={text}
              onChange={setText}
              items={found.slice(0, 8)}
              keyOf={(s) => s.service.code}
              textOf={(s) => s.service.name}
              placeholder="Blood draw, spirometry"
              onTake={(s) => {
                setText('');
                add(s.service.code);
              }}
              render={(s) => (
                <>
                  {s.service.name} <Mono>{s.service.externalCode}</Mono>{' '}
                  <Small>{s.priceCents == null ? 'no price' : dollars(s.priceCents)}</Small>
                </>
              )}
            />
          </Stack>
        )}
      </Sheet>
      {!data.completed && (
        <Sheet aria-label="Claim check">
          <h2>Claim check</h2>
          <Stack>
            {ready ? (
              <Notice $tone="kelp">
                Ready: {data.checks.length} checks passed. <Small>{data.checks.join(', ')}.</Small>
              </Notice>
            ) : (
              data.faults.map((f) => (
                <Notice key={f.sentence} $tone="brass" data-fault={f.code}>
                  {f.sentence}
                </Notice>
              ))
            )}
            {needsAccident && may('edit_coverage') && (
              <Row $align="end">
                <Field label="Date of the accident" value={accidentText} onChange={setAccident} />
                <Button
                  onPress={() =>
                    void run(() =>
                      api.POST('/api/visits/{id}/payer', {
                        ...path,
                        body: {
                          coverageId: view.card.visit.coverageId ?? null,
                          selfPay: view.card.visit.selfPay,
                          accidentDate: accidentText,
                        },
                      }),
                    )
                  }
                >
                  Save date
                </Button>
              </Row>
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
                  <Button $kind="filled" isDisabled={busy || !ready} onPress={() => void run(complete)}>
                    Complete charges
                  </Button>
                )}
              </Row>
            )}
          </Stack>
        </Sheet>
      )}
      {data.completed && <Tag $tone="kelp">✓ charges completed</Tag>}
    </Stack>
  );
}
