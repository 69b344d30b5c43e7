/** The clinic's catalogue: what it does, what payers call it, and what it costs by which fee schedule. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../../api/client';
import { useMay } from '../../../app/session';
import { dollars, plainDate } from '../../../app/words';
import { Button, Choose, Field } from '../../../ui/controls';
import { Form, Refused } from '../../../ui/Form';
import { Empty, Mono, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../../ui/layout';
import { font, part } from '../../../ui/tokens';
import { Unanswered } from '../../../ui/Unanswered';
import { catalogue } from '../queries';
import { PriceFiles } from './PriceFiles';
import { Schedules } from './Schedules';
import { ServiceDialog } from './ServiceDialog';

type Row_ = Schemas['CatalogueRow'];

const STANDARD = 'standard';

/** A price as it is set from a day on. */
function PriceForm(p: { row: Row_; schedule: Schemas['FeeSchedule']; onClose: () => void }) {
  const [price, setPrice] = useState('');
  const [from, setFrom] = useState('');
  const { run, busy, refusal } = useDo();
  const { code, name } = p.row.service;
  const save = async () => {
    const body = { price, from, schedule: p.schedule.code };
    if (await run(() => api.PUT('/api/services/{code}/price', { params: { path: { code } }, body }))) p.onClose();
  };
  return (
    <Form refusal={refusal} onSave={() => void save()}>
      <Stack $gap={2} style={{ textAlign: 'left', fontFamily: font.words }}>
        <Field name="price" label={`${p.schedule.name} price of ${name}`} value={price} onChange={setPrice} autoFocus />
        <Field name="from" label="From" value={from} onChange={setFrom} placeholder="today" />
        <Row $gap={2}>
          <Button type="submit" isDisabled={busy}>
            Set
          </Button>
          <Button $kind="quiet" onPress={p.onClose}>
            Leave it
          </Button>
        </Row>
        <Refused />
      </Stack>
    </Form>
  );
}

/** What a service costs by one schedule; where that has none of its own, by the one that it falls back on. */
function Price(p: { row: Row_; schedule: Schemas['FeeSchedule']; all: Schemas['FeeSchedule'][] }) {
  const may = useMay();
  const [open, setOpen] = useState(false);
  if (open) return <PriceForm row={p.row} schedule={p.schedule} onClose={() => setOpen(false)} />;
  const own = p.row.prices.find((x) => x.schedule === p.schedule.code);
  const behind: string[] = [];
  let at = p.schedule.fallsBack;
  while (at && !behind.includes(at)) {
    behind.push(at);
    at = p.all.find((s) => s.code === at)?.fallsBack;
  }
  const of = (code: string) => p.row.prices.find((x) => x.schedule === code)?.cents;
  const other = behind.find((code) => of(code) != null);
  const otherCents = other === undefined ? undefined : of(other);
  const asOther = p.all.find((s) => s.code === other)?.name.toLowerCase();
  const said =
    own?.cents != null
      ? dollars(own.cents)
      : otherCents != null
        ? `${dollars(otherCents)} as ${asOther ?? ''}`
        : 'no price';
  const shown =
    own?.cents != null ? said : otherCents != null ? <Small>{said}</Small> : <Tag $tone="coral">{said}</Tag>;
  return (
    <>
      {may('set_prices') ? (
        <Button
          $kind="quiet"
          onPress={() => setOpen(true)}
          aria-label={`${said}: change the ${p.schedule.name} price of ${p.row.service.name}`}
        >
          {shown}
        </Button>
      ) : (
        shown
      )}
      {own?.laterCents != null && own.laterFrom && (
        <Small style={{ display: 'block' }}>
          {dollars(own.laterCents)} from {plainDate(own.laterFrom)}
        </Small>
      )}
    </>
  );
}

/** What the claim check goes by, in few words. */
function facts(s: Schemas['Service']): string {
  return [
    s.modifiers.length > 0 && `modifiers ${s.modifiers.join(' ')}`,
    s.units > 1 && `begins with ${s.units} units`,
    s.mostUnits != null && `at most ${s.mostUnits} a visit`,
    s.needs.length > 0 && `needs ${s.needs.join(', ')}`,
    s.notWith.length > 0 && `not beside ${s.notWith.join(', ')}`,
    s.place && `at place ${s.place}`,
    s.done.length > 0 && 'charged by itself',
    s.startsOn && `from ${plainDate(s.startsOn)}`,
    s.endsOn && `until ${plainDate(s.endsOn)}`,
  ]
    .filter(Boolean)
    .join('; ');
}

export function Catalogue() {
  const may = useMay();
  const look = useLook(catalogue());
  const [text, setText] = useState('');
  const [beside, setBeside] = useState('self-pay');
  const [open, setOpen] = useState<Row_ | 'new' | null>(null);
  if (!look.data) return <Unanswered look={look} />;
  const { services, schedules } = look.data;
  const all = schedules.map((s) => s.schedule);
  const standard = all.find((s) => s.code === STANDARD);
  const other = all.find((s) => s.code === beside);
  const word = text.trim().toLowerCase();
  const found = services.filter(
    (r) =>
      !word ||
      [r.service.name, r.service.code, r.service.externalCode].some((field) => field.toLowerCase().includes(word)),
  );
  return (
    <>
      <Sheet>
        <Row>
          <h2>Services and prices</h2>
          <Spread />
          {may('set_prices') && <Button onPress={() => setOpen('new')}>Add a service</Button>}
        </Row>
        <Stack>
          <Row $align="flex-end">
            <div style={{ width: part.list }}>
              <Field label="Find a service" value={text} onChange={setText} placeholder="Name or code" />
            </div>
            <Choose
              label="Beside the standard prices"
              value={beside}
              onChange={setBeside}
              choices={all.filter((s) => s.code !== STANDARD).map((s) => ({ id: s.code, label: s.name }))}
            />
          </Row>
          <Scroller>
            <Table data-catalogue>
              <thead>
                <tr>
                  <th>Service</th>
                  <th>Billing code</th>
                  <th>What holds for it</th>
                  <th className="number">{standard?.name}</th>
                  {other && <th className="number">{other.name}</th>}
                </tr>
              </thead>
              <tbody>
                {found.map((r) => (
                  <tr key={r.service.code} data-service={r.service.code}>
                    <td>
                      {may('set_prices') ? (
                        <Button
                          $kind="quiet"
                          onPress={() => setOpen(r)}
                          style={{ whiteSpace: 'normal', textAlign: 'left', paddingLeft: 0 }}
                          aria-label={`${r.service.name}: change the service`}
                        >
                          {r.service.name}
                        </Button>
                      ) : (
                        r.service.name
                      )}{' '}
                      <Small>
                        <Mono>{r.service.code}</Mono>
                      </Small>
                    </td>
                    <td>
                      {r.service.externalCode ? <Mono>{r.service.externalCode}</Mono> : <Tag $tone="brass">none</Tag>}
                    </td>
                    <td>
                      <Small>{facts(r.service)}</Small>
                    </td>
                    <td className="number">{standard && <Price row={r} schedule={standard} all={all} />}</td>
                    {other && (
                      <td className="number">
                        <Price row={r} schedule={other} all={all} />
                      </td>
                    )}
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
          {found.length === 0 && <Empty>No service is called so. Add it, or bring a list in from a file below.</Empty>}
        </Stack>
      </Sheet>
      <Schedules data={look.data} />
      <PriceFiles changes={look.data.changes} />
      {open && (
        <ServiceDialog
          key={open === 'new' ? 'new' : open.service.code}
          row={open === 'new' ? null : open}
          onClose={() => setOpen(null)}
        />
      )}
    </>
  );
}
