/** How the visit was done and is documented: kind, who supervises, minutes; and striking a note that was written in error. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useChoices, useWords } from '../../app/choices';
import { useMay, useSession } from '../../app/session';
import { Form, Refused } from '../../ui/Form';
import { Button, Field, Pick } from '../../ui/controls';
import { Columns, Row, Small, Spread, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';

type Chart = Schemas['ChartView'];
type Visit = Schemas['Visit'];

export function NoteHead({ chart, visit }: { chart: Chart; visit: Visit }) {
  const may = useMay();
  const { me } = useSession();
  // A charge alone is raised as such.
  const kinds = useWords('visitKinds').filter((k) => k.id !== 'charge');
  const { clinicians } = useChoices();
  const [kind, setKind] = useState<string | null>(visit.kind);
  const [supervising, setSupervising] = useState<string | null>(chart.head?.supervisingId ?? 'none');
  const [minutes, setMinutes] = useState(String(chart.head?.minutes ?? ''));
  const { run, busy, refusal } = useDo();
  const params = { path: { id: visit.id } };
  const open = may('write_note') && !chart.signature && !chart.struck;
  const save = () =>
    void run(() =>
      api.PUT('/api/visits/{id}/note-head', {
        params,
        body: {
          kind: (kind ?? visit.kind) as Visit['kind'],
          supervisingId: supervising === 'none' ? null : supervising,
          minutes: minutes.trim() === '' ? null : Math.round(Number(minutes)) || 0,
        },
      }),
    );
  const strikes = me.staff.id === visit.clinicianId || me.staff.id === chart.head?.supervisingId;
  return (
    <Stack>
      {open ? (
        <Form refusal={refusal} onSave={save}>
          <Columns $min={part.wideField}>
            <Pick label="How" value={kind} onChange={setKind} choices={kinds} />
            <Pick
              label="Supervised by"
              value={supervising}
              onChange={setSupervising}
              choices={[{ id: 'none', label: 'Nobody' }, ...clinicians.filter((c) => c.id !== visit.clinicianId)]}
            />
            <Field label="Minutes" name="minutes" value={minutes} onChange={setMinutes} />
          </Columns>
          <Refused />
          <Row>
            <Spread />
            <Button type="submit" isDisabled={busy}>
              Put down
            </Button>
          </Row>
        </Form>
      ) : (
        <Small>What is signed or struck stays as it is.</Small>
      )}
      {strikes && !chart.struck && <Strike visit={visit.id} signed={chart.signature != null} />}
    </Stack>
  );
}

function Strike({ visit, signed }: { visit: string; signed: boolean }) {
  const [asked, setAsked] = useState(false);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const strike = () =>
    void run(() => api.POST('/api/visits/{id}/strike-note', { params: { path: { id: visit } }, body: { reason } }));
  if (!asked)
    return (
      <Row>
        <Button $kind="quiet" onPress={() => setAsked(true)}>
          The note was written in error
        </Button>
      </Row>
    );
  return (
    <Form refusal={refusal} onSave={strike}>
      <Field
        label="Why it is struck"
        name="reason"
        value={reason}
        onChange={setReason}
        autoFocus
        hint={`It stays readable as struck${signed ? ', with its signature' : ''}; nobody writes in it any more. This cannot be undone.`}
      />
      <Refused />
      <Row>
        <Spread />
        <Button onPress={() => setAsked(false)}>Leave it</Button>
        <Button $kind="stop" type="submit" isDisabled={busy || reason.trim() === ''}>
          Strike the note for good
        </Button>
      </Row>
    </Form>
  );
}
