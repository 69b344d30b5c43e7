/** One signature under prescriptions: each to its pharmacy or on paper, each serious finding with its reason. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useSession } from '../../app/session';
import { Faults, Refused } from '../../ui/Form';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import type { Place } from './Draft';

type Item = Schemas['Prescription'];

const PAPER = 'paper';

export function SignDrafts(p: {
  place: Place;
  drafts: Item[];
  /** Which of them are controlled substances. */
  controlled: string[];
  /** The person's own pharmacy. */
  pharmacy: string | null | undefined;
}) {
  const { clinic, me } = useSession();
  const { place, drafts } = p;
  // The person's own pharmacy first; where nobody said one, the first of the clinic's.
  const usual = p.pharmacy ?? clinic.pharmacies[0]?.id ?? PAPER;
  const [ways, setWays] = useState<Record<string, string>>({});
  const [reasons, setReasons] = useState<Record<string, string>>({});
  const [code, setCode] = useState('');
  const { run, busy, refusal } = useDo();
  const own = drafts.filter((x) => x.prescriberId === me.staff.id);
  const others = drafts.length - own.length;
  if (drafts.length === 0) return null;
  const serious = (x: Item) => x.warnings.filter((w) => w.severity === 'serious');
  const key = (x: Item, about: string) => `${x.id} ${about}`;
  const wayOf = (x: Item) => ways[x.id] ?? usual;
  const controlled = own.some((x) => p.controlled.includes(x.id) && wayOf(x) !== PAPER);
  const body = () => ({
    code,
    items: own.map((x) => ({
      id: x.id,
      pharmacyId: wayOf(x) === PAPER ? null : wayOf(x),
      overrides: serious(x).map((w) => ({ about: w.about ?? '', reason: reasons[key(x, w.about ?? '')] ?? '' })),
    })),
  });
  const sign = () =>
    run(() =>
      'visit' in place
        ? api.POST('/api/visits/{id}/prescriptions/sign', { params: { path: { id: place.visit } }, body: body() })
        : api.POST('/api/people/{id}/prescriptions/sign', { params: { path: { id: place.person } }, body: body() }),
    );
  const choices = [
    ...clinic.pharmacies.map((x) => ({ id: x.id, label: x.id === p.pharmacy ? `${x.name} (own)` : x.name })),
    { id: PAPER, label: 'On paper' },
  ];
  const onPaper = own.every((x) => wayOf(x) === PAPER);
  return (
    <Faults refusal={refusal}>
      <Stack data-sign-drafts>
        {own.map((x) => (
          <Stack key={x.id} $gap={1}>
            <Columns $min={part.wideField}>
              <Pick
                label={own.length > 1 ? `${x.medicine} to` : 'Pharmacy'}
                value={wayOf(x)}
                onChange={(id) => setWays({ ...ways, [x.id]: id })}
                choices={choices}
              />
            </Columns>
            {serious(x).map((w) => (
              <Field
                key={w.about ?? ''}
                label="Override reason"
                name="overrideReason"
                hint={own.length > 1 || serious(x).length > 1 ? w.sentence : undefined}
                value={reasons[key(x, w.about ?? '')] ?? ''}
                onChange={(text) => setReasons({ ...reasons, [key(x, w.about ?? '')]: text })}
              />
            ))}
            {!x.diagnosis && (
              <Notice $tone="brass">
                {x.medicine} lies under no diagnosis yet; choose one, or lay it with the keys of the lanes.
              </Notice>
            )}
          </Stack>
        ))}
        {controlled && (
          <Field
            label="Code of your second factor"
            name="code"
            hint="For the controlled substance; without it, on paper."
            value={code}
            onChange={setCode}
          />
        )}
        {others > 0 && <Small>{others} more of a colleague, who signs them.</Small>}
        <Refused />
        {own.length > 0 && (
          <Row>
            <Spread />
            <Button $kind="filled" isDisabled={busy} onPress={() => void sign()}>
              {onPaper ? 'Sign' : 'Sign and send'}
              {own.length > 1 ? ` ${own.length}` : ''}
            </Button>
          </Row>
        )}
      </Stack>
    </Faults>
  );
}
