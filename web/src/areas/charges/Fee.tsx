/** What a line costs: by which fee schedule, what the payer allowed before, and another price with its reason. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay } from '../../app/session';
import { amountText, dollars, plainDate } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Spread, Tag } from '../../ui/layout';
import { font, space } from '../../ui/tokens';
import type { Line } from './Lines';

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
        <div style={{ width: space(28) }}>
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

type OwnPrice = Pick<Line, 'ownPrice' | 'ownPriceReason'>;

function OtherPrice(p: { line: Schemas['ChargeLineView']; onSave: (own: OwnPrice) => void; onClose: () => void }) {
  const own = p.line.line.ownPriceCents;
  const [price, setPrice] = useState(own == null ? '' : amountText(own));
  const [reason, setReason] = useState(p.line.line.ownPriceReason);
  const lacks = price.trim() !== '' && reason.trim() === '';
  const save = (next: OwnPrice) => {
    p.onSave(next);
    p.onClose();
  };
  return (
    <Dialog title={`Another price for ${p.line.service}`} open onClose={p.onClose}>
      <Form refusal={null} onSave={() => !lacks && save({ ownPrice: price, ownPriceReason: reason })}>
        <Field label="Price of one unit" value={price} onChange={setPrice} placeholder="60.00" autoFocus />
        <Field
          label="Why"
          value={reason}
          onChange={setReason}
          placeholder="agreed with the employer on the telephone"
        />
        <Row>
          {own != null && (
            <Button onPress={() => save({ ownPrice: '', ownPriceReason: '' })}>The price of the fee schedule</Button>
          )}
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={lacks || price.trim() === ''}>
            Take this price
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

export function Fee(p: { line: Schemas['ChargeLineView']; open: boolean; onSave: (own: OwnPrice) => void }) {
  const may = useMay();
  const [asked, setAsked] = useState(false);
  const { line: l, service, priceCents, schedule, allowedCents, allowedOn } = p.line;
  if (priceCents == null)
    return may('set_prices') ? (
      <PriceOnTheSpot service={l.serviceCode} name={service} />
    ) : (
      <Tag $tone="coral">no price</Tag>
    );
  const amount = dollars(priceCents * l.units);
  const said = [
    l.ownPriceCents != null && l.ownPriceReason,
    schedule && schedule !== 'Standard' && schedule,
    allowedCents != null && allowedOn && `${dollars(allowedCents)} allowed ${plainDate(allowedOn)}`,
  ].filter(Boolean);
  return (
    <>
      {p.open ? (
        <Button $kind="quiet" aria-label={`${amount}: other price for ${service}`} onPress={() => setAsked(true)}>
          {amount}
        </Button>
      ) : (
        amount
      )}
      {said.map((s) => (
        <Small key={String(s)} style={{ display: 'block', fontFamily: font.words }}>
          {s}
        </Small>
      ))}
      {asked && <OtherPrice line={p.line} onSave={p.onSave} onClose={() => setAsked(false)} />}
    </>
  );
}
