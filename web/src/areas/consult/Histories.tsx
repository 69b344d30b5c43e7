/** Family, social, surgical and hospital history, immunisations: what holds, ended with a reason and taken back. */

import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { useUndo } from '../../app/undo';
import { useTimes } from '../../app/words';
import { Ending } from './Ending';
import { Row, Small, Spread, Stack } from '../../ui/layout';

type History = Schemas['HistoryView'];

export function Histories({ person, histories }: { person: string; histories: History[] }) {
  const kinds = useWords('historyKinds');
  const may = useMay();
  const times = useTimes();
  const { run, busy, refusal } = useDo();
  const offerUndo = useUndo();
  const end = async (h: History, reason: string) => {
    const params = { path: { id: person, entry: h.entryId } };
    const ended = await run(() => api.POST('/api/people/{id}/histories/{entry}/end', { params, body: { reason } }));
    if (ended)
      offerUndo(`Ended: ${h.words}.`, () => api.POST('/api/people/{id}/histories/{entry}/not-ended', { params }));
  };
  const told = kinds.filter((k) => histories.some((h) => h.kind === k.id));
  return (
    <Stack data-histories>
      {told.length === 0 && (
        <p>Nothing told yet. The quick line takes it: mother asthma, smoker 10/day, appendectomy 1998.</p>
      )}
      {told.map((k) => (
        <div key={k.id}>
          <Small>{k.label}</Small>
          {histories
            .filter((h) => h.kind === k.id)
            .map((h) => (
              <Row key={h.entryId} data-history={h.kind}>
                <span title={`${h.recordedBy}, ${times.full(h.recordedAt)}`}>{h.words}</span>
                <Spread />
                {may('record_vitals') && (
                  <Ending what={h.words} busy={busy} refusal={refusal} onEnd={(reason) => end(h, reason)} />
                )}
              </Row>
            ))}
        </div>
      ))}
    </Stack>
  );
}
