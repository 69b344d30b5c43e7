import { useState } from 'react';
import { api, type Schemas, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Check, Dialog, Field, Pick } from '../../ui/controls';
import { Columns, Empty, Mono, Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { Limits } from '../people/Limits';
import { part } from '../../ui/tokens';

const anyOne = { id: 'any', label: 'Any' };
const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];

/** What is free, the best first: soon, at the wished hour, with the usual clinician, without leaving scraps. */
export function OpenTimes(p: {
  from: string;
  moving: Schemas['VisitCard'] | null;
  onClose: () => void;
  onTake: (slot: Schemas['Slot'], minutes: number) => void;
}) {
  const { clinic, inHand } = useSession();
  const times = useTimes();
  const [from, setFrom] = useState(p.from);
  const [type, setType] = useState<string>(p.moving?.visit.visitTypeId ?? 'any');
  const [clinician, setClinician] = useState('any');
  const [site, setSite] = useState('any');
  const [days, setDays] = useState<string[]>([]);
  const [after, setAfter] = useState('');
  const [before, setBefore] = useState('');
  const [minutes, setMinutes] = useState('');
  const person = p.moving?.person.id ?? (inHand !== null && 'person' in inHand ? inHand.person : undefined);
  const wished = {
    from,
    ...(type !== 'any' && { visitTypeId: type }),
    ...(clinician !== 'any' && { clinicianId: clinician }),
    ...(site !== 'any' && { siteId: site }),
    ...(days.length > 0 && { weekdays: days.join(',') }),
    ...(after && { after }),
    ...(before && { before }),
    ...(Number(minutes) > 0 && { minutes: Number(minutes) }),
    ...(person && { personId: person }),
  };
  const look = useLook(['open-times', wished], () => api.GET('/api/open-times', { params: { query: wished } }));
  const { clinicians, sites, types } = useChoices();
  const page = (by: number) => {
    const at = new Date(`${from}T12:00:00Z`);
    at.setUTCDate(at.getUTCDate() + by);
    const day = at.toISOString().slice(0, 10);
    setFrom(day < clinic.today ? clinic.today : day);
  };
  const last = look.data
    ?.map((s) => times.date(s.startsAt))
    .sort()
    .at(-1);
  return (
    <Dialog title="Open times" light open onClose={p.onClose} wide>
      <Stack $gap={4}>
        <Columns $min={part.field}>
          <Pick label="Visit type" value={type} onChange={setType} choices={[anyOne, ...types]} />
          <Pick label="Clinician" value={clinician} onChange={setClinician} choices={[anyOne, ...clinicians]} />
          <Pick label="Site" value={site} onChange={setSite} choices={[anyOne, ...sites]} />
          <Field
            label="Not before"
            value={after}
            onChange={setAfter}
            placeholder="9:00"
            fault={look.error?.fault('after')}
          />
          <Field
            label="Before"
            value={before}
            onChange={setBefore}
            placeholder="16:00"
            fault={look.error?.fault('before')}
          />
          <Field label="Minutes" value={minutes} onChange={setMinutes} placeholder="as the slot" />
        </Columns>
        <Row>
          {weekdays.map((name, n) => {
            const id = String(n + 1);
            return (
              <Check
                key={name}
                label={name}
                value={days.includes(id)}
                onChange={(on) => setDays(on ? [...days, id] : days.filter((d) => d !== id))}
              />
            );
          })}
        </Row>
        {person && <Limits personId={person} />}
        {look.error && look.error.problem.fields.length === 0 && <Notice $tone="coral">{look.error.message}</Notice>}
        <Stack $gap={1}>
          {look.data?.map((s) => (
            <Row key={s.id + String(s.minutes)} data-open-time>
              <Mono>
                {times.day(s.startsAt)} {times.time(s.startsAt)}
              </Mono>
              <span>{clinic.staff.find((x) => x.id === s.clinicianId)?.name}</span>
              <Small>
                {[clinic.visitTypes.find((t) => t.id === s.visitTypeId)?.name, `${s.minutes} min`, ...s.reasons]
                  .filter(Boolean)
                  .join(' · ')}
              </Small>
              <Spread />
              <Button
                onPress={() => p.onTake(s, s.minutes)}
                aria-label={`${p.moving ? 'Move to' : 'Book'} ${times.day(s.startsAt)} ${times.time(s.startsAt)}`}
              >
                {p.moving ? 'Move here' : 'Book'}
              </Button>
            </Row>
          ))}
          {look.data?.length === 0 && <Empty>No time is open under these wishes. Widen one of them.</Empty>}
        </Stack>
        <Row>
          <Button onPress={() => page(-7)} isDisabled={from <= clinic.today}>
            Earlier
          </Button>
          <Small>from {times.day(`${from}T17:00:00Z`)}</Small>
          <Spread />
          <Button onPress={() => (last && last > from ? setFrom(last) : page(7))}>Later</Button>
        </Row>
      </Stack>
    </Dialog>
  );
}
