import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useTimes } from '../../app/words';
import { Button, Check, Choose, Field } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { part, size } from '../../ui/tokens';
import { AskFirst, useMeant } from './AskFirst';
import { seriesPlan } from './queries';

/** The same visit again and again: every day of the series is looked over before any is booked. */
export function SeriesPart(p: {
  slot: Schemas['Slot'];
  personId: string;
  /** As of the first visit: every one of them is alike. */
  wanted: { reason: string; note: string; kind: string; minutes: string; visitTypeId: string | null };
  onBooked: (first: Schemas['Visit']) => void;
}) {
  const times = useTimes();
  const [every, setEvery] = useState('1');
  const [unit, setUnit] = useState('weeks');
  const [count, setCount] = useState('6');
  const [left, setLeft] = useState<string[]>([]);
  const { minutes, visitTypeId } = p.wanted;
  const asked = {
    ...{ slotId: p.slot.id, every: Number(every) || 0, unit, count: Number(count) || 0 },
    ...{ minutes, visitTypeId },
  };
  const plan = useLook(seriesPlan(asked));
  const { run, busy, refusal } = useDo();
  const chosen = (plan.data ?? []).flatMap((l) => (l.slot && !left.includes(l.day) ? [l.slot.id] : []));
  const { meant, also } = useMeant();
  const book = async (doubts: Schemas['Doubt'][]) => {
    const body = { personId: p.personId, every: asked.every, unit, slotIds: chosen, ...p.wanted, meant: doubts };
    const visits = await run(() => api.POST('/api/series', { body }));
    const first = visits?.[0];
    if (first) p.onBooked(first);
  };
  return (
    <Stack $gap={2} data-series={chosen.length}>
      <Row $align="end" $gap={2}>
        <div style={{ width: part.count }}>
          <Field label="Every" value={every} onChange={setEvery} />
        </div>
        <Choose
          label="Weeks or months"
          hideLabel
          value={unit}
          onChange={setUnit}
          choices={[
            { id: 'weeks', label: 'weeks' },
            { id: 'months', label: 'months' },
          ]}
        />
        <div style={{ width: part.count }}>
          <Field label="Visits" value={count} onChange={setCount} />
        </div>
      </Row>
      {plan.error && <Notice $tone="coral">{plan.error.message}</Notice>}
      {plan.data?.map((l) => (
        <Row key={l.day} $gap={2} style={{ fontSize: size.small }}>
          {l.slot ? (
            <Check
              label={`${times.day(l.slot.startsAt)} ${times.time(l.slot.startsAt)}`}
              value={!left.includes(l.day)}
              onChange={(on) => setLeft(on ? left.filter((d) => d !== l.day) : [...left, l.day])}
            />
          ) : (
            <span>– {times.day(l.wished)}</span>
          )}
          <Small>{l.differs || 'as wished'}</Small>
        </Row>
      ))}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <AskFirst refusal={refusal} what="Book them all the same" busy={busy} onMeant={() => void book(also(refusal))} />
      <Row>
        <Spread />
        <Button $kind="filled" isDisabled={busy || chosen.length === 0} onPress={() => void book(meant)}>
          Book all {chosen.length}
        </Button>
      </Row>
    </Stack>
  );
}
