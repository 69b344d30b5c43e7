import { useRef, useState } from 'react';
import { api, type Schemas } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Columns, Row, Small, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import type { Registering } from './useRegistration';

type Candidate = Schemas['TypedAddress'];

const oneLine = (a: Candidate) => `${a.addressLine}, ${a.city} ${a.state} ${a.postalCode}`;

/** The address, checked against the address service when it is left; a silent service is never in the way. */
export function Address({ registering: r }: { registering: Registering }) {
  const [answer, setAnswer] = useState<Schemas['AddressAnswer'] | null>(null);
  const asked = useRef('');
  const { form } = r;
  const typed: Candidate = {
    addressLine: form.addressLine ?? '',
    city: form.city ?? '',
    state: form.state ?? '',
    postalCode: form.postalCode ?? '',
  };
  const check = async () => {
    if (!typed.addressLine || oneLine(typed) === asked.current) return;
    asked.current = oneLine(typed);
    const found = await api.POST('/api/addresses', { body: typed }).catch(() => null);
    setAnswer(found?.data ?? { reachable: false, certain: false, candidates: [] });
    // What the service says of the address on file is kept with it.
    if (found?.data?.reachable && (await r.flush())) void r.checkAddress();
  };
  const takeIt = (a: Candidate) => {
    asked.current = oneLine(a);
    r.change(a);
    setAnswer({ reachable: true, certain: true, candidates: [] });
    void r.flush().then((done) => (done ? r.checkAddress() : null));
  };
  const field = (name: (keyof Candidate | 'addressLine2') & keyof typeof form, label: string, placeholder = '') => (
    <Field
      label={label}
      name={name}
      value={String(form[name] ?? '')}
      onChange={r.text(name as 'city')}
      placeholder={placeholder}
    />
  );
  return (
    <div
      role="group"
      aria-label="Address"
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) void check();
      }}
    >
      <Stack $gap={2}>
        <Columns $min={part.field}>
          {field('addressLine', 'Address')}
          {field('addressLine2', 'Second line', 'flat, care of')}
          {field('city', 'Town')}
          {field('state', 'State', 'ME')}
          {field('postalCode', 'Postal code', '04998')}
        </Columns>
        {answer && (
          <Row $gap={2} role="status">
            {answer.certain && <Small>The address service knows this address.</Small>}
            {!answer.certain && answer.candidates.length > 0 && (
              <>
                <Small>The address service writes:</Small>
                {answer.candidates.slice(0, 3).map((c) => (
                  <Button key={oneLine(c)} onPress={() => takeIt(c)}>
                    {oneLine(c)}
                  </Button>
                ))}
              </>
            )}
            {!answer.certain && answer.candidates.length === 0 && (
              <Small>
                {answer.reachable
                  ? 'The address service does not know this address; it is kept as typed.'
                  : 'The address service does not answer; the address is kept as typed.'}
              </Small>
            )}
          </Row>
        )}
      </Stack>
    </div>
  );
}
