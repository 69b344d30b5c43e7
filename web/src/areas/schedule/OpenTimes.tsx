import { useState } from 'react';
import styled from 'styled-components';
import { type Schemas, useLook } from '../../api/client';
import { useChoices } from '../../app/choices';
import { DayField, useTypedDay } from '../../app/days';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { PickSeveral, Several, weekdayChoices } from '../../ui/choices';
import { Button, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Empty, Mono, Notice, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { usePersonInHand } from '../people/inHand';
import { Limits } from '../people/Limits';
import { useGroups } from './Groups';
import { WantTime } from './WantTime';
import { openTimes } from './queries';

/** Dense enough that a page of them stands with the wishes above it. */
const Times = styled(Table)`
  td {
    padding-block: 0;
    vertical-align: middle;
  }
`;

/** So many times the server offers at once. */
const offered = 12;

/** Parts of the day by their first and last time; anything else is typed. */
const parts: Record<string, { after: string; before: string }> = {
  any: { after: '', before: '' },
  morning: { after: '', before: '12:00' },
  afternoon: { after: '12:00', before: '' },
};

/** What is wished, as typed; a change of it begins again with the best. */
function useWish(from: string, moving: Schemas['VisitCard'] | null) {
  const [wish, setWish] = useState({
    from,
    types: moving ? [moving.visit.visitTypeId] : ([] as string[]),
    clinicians: [] as string[],
    sites: [] as string[],
    days: [] as number[],
    part: 'any',
    after: '',
    before: '',
    around: '',
    minutes: '',
  });
  const [skip, setSkip] = useState(0);
  const change = (next: Partial<typeof wish>) => {
    setSkip(0);
    setWish({ ...wish, ...next });
  };
  return { wish, change, skip, setSkip };
}

/** What is free, the best first: soon, at the wished hour, with the usual clinician, without leaving scraps. */
export function OpenTimes(p: {
  from: string;
  moving: Schemas['VisitCard'] | null;
  onClose: () => void;
  onTake: (slot: Schemas['Slot'], minutes: number) => void;
}) {
  const { clinic } = useSession();
  const times = useTimes();
  const { wish, change, skip, setSkip } = useWish(p.from, p.moving);
  const day = useTypedDay(wish.from);
  const groups = useGroups(true);
  const may = useMay();
  const [waiting, setWaiting] = useState(false);
  const { clinicians, sites, types } = useChoices();
  // Whoever is in a chosen group is meant.
  const meant = wish.clinicians.flatMap((id) => groups.find((g) => g.id === id)?.members ?? [id]);
  const inHand = usePersonInHand();
  const person = p.moving?.person.id ?? inHand?.id;
  const { after, before } = wish.part === 'typed' ? wish : (parts[wish.part] ?? wish);
  const asked = {
    ...(day.day && { from: day.day }),
    ...(wish.types.length > 0 && { visitTypeId: wish.types.join(',') }),
    ...(meant.length > 0 && { clinicianId: meant.join(',') }),
    ...(wish.sites.length > 0 && { siteId: wish.sites.join(',') }),
    ...(wish.days.length > 0 && { weekdays: wish.days.join(',') }),
    ...(after && { after }),
    ...(before && { before }),
    ...(wish.around && { around: wish.around }),
    ...(wish.minutes.trim() !== '' && { minutes: wish.minutes }),
    ...(person && { personId: person }),
    ...(skip > 0 && { skip }),
  };
  const look = useLook(openTimes(asked), day.day !== undefined);
  const typeName = (s: Schemas['Slot']) => clinic.visitTypes.find((t) => t.id === s.visitTypeId)?.name ?? '';
  const clinicianName = (s: Schemas['Slot']) => clinic.staff.find((x) => x.id === s.clinicianId)?.name ?? '';
  const byWeeks = (weeks: number) => {
    const at = new Date(`${day.day ?? clinic.today}T12:00:00Z`);
    at.setUTCDate(at.getUTCDate() + weeks * 7);
    const next = at.toISOString().slice(0, 10);
    change({ from: next < clinic.today ? clinic.today : next });
  };
  return (
    <Dialog title="Open times" light open onClose={p.onClose} wide>
      <Stack $gap={4}>
        <Columns $min={part.field}>
          <DayField label="From" name="from" value={wish.from} onChange={(from) => change({ from })} read={day} />
          <PickSeveral
            label="Visit type"
            value={wish.types}
            onChange={(chosen) => change({ types: chosen })}
            choices={types}
          />
          <PickSeveral
            label="Clinician or group"
            value={wish.clinicians}
            onChange={(chosen) => change({ clinicians: chosen })}
            choices={[...groups.map((g) => ({ id: g.id, label: g.name })), ...clinicians]}
          />
          <PickSeveral
            label="Site"
            value={wish.sites}
            onChange={(chosen) => change({ sites: chosen })}
            choices={sites}
          />
          <Pick
            label="Part of the day"
            value={wish.part}
            onChange={(chosen) => change({ part: chosen })}
            choices={[
              { id: 'any', label: 'Any' },
              { id: 'morning', label: 'Morning' },
              { id: 'afternoon', label: 'Afternoon' },
              { id: 'typed', label: 'From … to …' },
            ]}
          />
          {wish.part === 'typed' && (
            <>
              <Field
                label="Not before"
                value={wish.after}
                onChange={(text) => change({ after: text })}
                placeholder="9:00"
                fault={look.error?.fault('after')}
              />
              <Field
                label="Before"
                value={wish.before}
                onChange={(text) => change({ before: text })}
                placeholder="16:00"
                fault={look.error?.fault('before')}
              />
            </>
          )}
          <Field
            label="Best around"
            value={wish.around}
            onChange={(around) => change({ around })}
            placeholder="any time"
            fault={look.error?.fault('around')}
          />
          <Field
            label="Minutes"
            value={wish.minutes}
            onChange={(minutes) => change({ minutes })}
            placeholder="as the slot"
            fault={look.error?.fault('minutes')}
          />
        </Columns>
        <Several
          label="Weekdays"
          choices={weekdayChoices.slice(0, 6)}
          value={wish.days}
          onChange={(days) => change({ days })}
        />
        {person && <Limits personId={person} />}
        {look.error && look.error.problem.fields.length === 0 && <Notice $tone="coral">{look.error.message}</Notice>}
        {(look.data?.length ?? 0) > 0 && (
          <Scroller>
            <Times>
              <tbody>
                {look.data?.map((s) => (
                  <tr key={s.id + String(s.minutes)} data-open-time>
                    <td>
                      <Mono>
                        {times.day(s.startsAt)} {times.time(s.startsAt)}
                      </Mono>
                    </td>
                    <td>{clinicianName(s)}</td>
                    <td className="wide">
                      {typeName(s)}{' '}
                      <Small>
                        {s.minutes} min, {clinic.sites.find((x) => x.id === s.siteId)?.name}
                      </Small>
                    </td>
                    <td className="wide">
                      <Small>{s.reasons.join(', ')}</Small>
                    </td>
                    <td>
                      <Button
                        $kind="quiet"
                        onPress={() => p.onTake(s, s.minutes)}
                        aria-label={`${p.moving ? 'Move to' : 'Book'} ${times.day(s.startsAt)} ${times.time(s.startsAt)} ${typeName(s)} with ${clinicianName(s)}`}
                      >
                        {p.moving ? 'Move here' : 'Book'}
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Times>
          </Scroller>
        )}
        {look.data?.length === 0 && (
          <Empty>
            {skip > 0
              ? 'These were all of them. Go back to better ones, or widen a wish.'
              : 'No time is open under these wishes. Widen one of them.'}
          </Empty>
        )}
        <Row>
          <Button onPress={() => byWeeks(-1)} isDisabled={!day.day || day.day <= clinic.today}>
            A week earlier
          </Button>
          <Button onPress={() => byWeeks(1)}>A week later</Button>
          <Spread />
          {person && may('book') && <Button onPress={() => setWaiting(true)}>Wait for such a time</Button>}
          {skip > 0 && <Button onPress={() => setSkip(skip - offered)}>Better ones</Button>}
          <Button onPress={() => setSkip(skip + offered)} isDisabled={(look.data?.length ?? 0) < offered}>
            More of them
          </Button>
        </Row>
        {person && waiting && (
          <WantTime
            personId={person}
            visit={p.moving?.visit}
            wanted={{
              visitType: wish.types[0],
              clinicians: meant,
              sites: wish.sites,
              days: wish.days,
              ...(after && { after }),
              ...(before && { before }),
            }}
            onClose={() => setWaiting(false)}
          />
        )}
      </Stack>
    </Dialog>
  );
}
