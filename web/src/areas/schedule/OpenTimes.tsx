import { useState } from 'react';
import { api, type Schemas, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button, Dialog, Pick } from '../../ui/controls';
import { Columns, Empty, Mono, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';

const anyOne = { id: 'any', label: 'Any' };

/** Slots that nobody has, soonest first, by type, clinician and site. */
export function OpenTimes(p: { from: string; onClose: () => void; onTake: (slot: Schemas['Slot']) => void }) {
  const { clinic } = useSession();
  const times = useTimes();
  const [type, setType] = useState('any');
  const [clinician, setClinician] = useState('any');
  const [site, setSite] = useState('any');
  const wish = (id: string) => (id === 'any' ? {} : { id });
  const look = useLook(['open-times', p.from, type, clinician, site], () =>
    api.GET('/api/open-times', {
      params: {
        query: {
          from: p.from,
          ...(wish(type).id && { visitTypeId: type }),
          ...(wish(clinician).id && { clinicianId: clinician }),
          ...(wish(site).id && { siteId: site }),
        },
      },
    }),
  );
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  return (
    <Dialog title="Open times" open onClose={p.onClose}>
      <Stack $gap={4}>
        <Columns $min={part.field}>
          <Pick
            label="Visit type"
            value={type}
            onChange={setType}
            choices={[anyOne, ...clinic.visitTypes.map((t) => ({ id: t.id, label: t.name }))]}
          />
          <Pick
            label="Clinician"
            value={clinician}
            onChange={setClinician}
            choices={[anyOne, ...clinicians.map((s) => ({ id: s.id, label: s.name }))]}
          />
          <Pick
            label="Site"
            value={site}
            onChange={setSite}
            choices={[anyOne, ...clinic.sites.map((s) => ({ id: s.id, label: s.name }))]}
          />
        </Columns>
        <Stack $gap={1}>
          {look.data?.map((s) => (
            <Row key={s.id}>
              <Mono>
                {times.day(s.startsAt)} {times.time(s.startsAt)}
              </Mono>
              <span>{clinic.staff.find((x) => x.id === s.clinicianId)?.name}</span>
              <Small>{clinic.visitTypes.find((t) => t.id === s.visitTypeId)?.name}</Small>
              <Spread />
              <Button
                onPress={() => p.onTake(s)}
                aria-label={`Book ${times.day(s.startsAt)} ${times.time(s.startsAt)}`}
              >
                Book
              </Button>
            </Row>
          ))}
          {look.data?.length === 0 && <Empty>No time is open under these wishes. Widen one of them.</Empty>}
        </Stack>
      </Stack>
    </Dialog>
  );
}
