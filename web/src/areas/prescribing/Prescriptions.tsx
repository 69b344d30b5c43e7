/** One prescription as it stands: what it says, what speaks against it, its way and its end. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Button, Pick } from '../../ui/controls';
import { Mono, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { Ending } from '../consult/Ending';
import { Change } from './Change';
import { Findings } from './Findings';
import { PapersOf } from './Papers';
import { SignDrafts } from './SignDrafts';
import { ToPayer } from './ToPayer';

type Chart = Schemas['ChartView'];

const ended = ['stopped', 'stopping', 'refused'];

export function One({
  item,
  chart,
  visit,
  open,
  show,
}: {
  item: Schemas['Prescription'];
  chart: Chart;
  visit: string;
  open: boolean;
  /** Opens another prescription in its place. */
  show: (prescription: string) => void;
}) {
  const { me } = useSession();
  const [changing, setChanging] = useState(false);
  const { run, busy, refusal } = useDo();
  const may = useMay();
  const path = { params: { path: { id: item.id } } };
  const draft = item.state === 'draft';
  const wordOf = useWordOf('prescriptionStates');
  if (changing)
    return (
      <Change
        item={item}
        place={{ visit }}
        diagnoses={chart.diagnoses}
        onDone={(kept) => {
          setChanging(false);
          if (kept && kept !== item.id) show(kept);
        }}
      />
    );
  return (
    <div data-prescription={item.productCode}>
      <Stack>
        <Row>
          <strong>{item.medicine}</strong>
          <Tag $tone={draft ? 'brass' : ended.includes(item.state) ? 'coral' : 'kelp'}>{wordOf(item.state)}</Tag>
          <Spread />
          {open && (draft ? item.prescriberId === me.staff.id : !ended.includes(item.state)) && (
            <Button $kind="quiet" aria-label={`Change ${item.medicine}`} onPress={() => setChanging(true)}>
              Change
            </Button>
          )}
          {open && draft && (
            <Button $kind="quiet" onPress={() => void run(() => api.DELETE('/api/prescriptions/{id}', path))}>
              Remove
            </Button>
          )}
          {!draft && !ended.includes(item.state) && may('write_note') && (
            <Ending
              what={item.medicine}
              word="Stop"
              busy={busy}
              refusal={refusal}
              onEnd={(reason) => run(() => api.POST('/api/prescriptions/{id}/stop', { ...path, body: { reason } }))}
            />
          )}
          {!draft && <PapersOf id={item.id} medicine={item.medicine} />}
        </Row>
        <p>
          {item.instructions} Dispense <Mono>{item.quantity}</Mono> {item.unit}
          {item.quantity > 1 && item.unit !== 'mL' ? 's' : ''}
          {item.refills > 0 && `, ${item.refills} refills`}.
        </p>
        {item.overrides.map((o) => (
          <Small key={o.about + o.sentence} data-override>
            Overridden (“{o.reason}”): {o.sentence}
          </Small>
        ))}
        {draft && <Findings list={item.warnings} />}
        {!ended.includes(item.state) && <ToPayer prescription={item.id} />}
        {open && draft && !item.diagnosis && (
          <Pick
            label="For"
            value={null}
            onChange={(code) =>
              void run(() => api.PUT('/api/prescriptions/{id}/diagnosis', { ...path, body: { code } }))
            }
            choices={chart.diagnoses.map((d) => ({ id: d.code, label: `${d.code} ${d.title}` }))}
          />
        )}
        {open && draft && (
          <SignDrafts
            place={{ visit }}
            drafts={chart.prescriptions.filter((x) => x.state === 'draft')}
            controlled={chart.controlled}
            pharmacy={chart.pharmacyId}
          />
        )}
      </Stack>
    </div>
  );
}
