import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { useTimes } from '../../app/words';
import { Button, Choose } from '../../ui/controls';
import { Mono, Notice, Row, Small, Stack, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';

const answers = [
  { id: 'yes', label: 'Given' },
  { id: 'no', label: 'Declined' },
];

/** What the person agreed to: the newest answer counts, and none is lost. */
export function Consents({ person, consents }: { person: string; consents: Schemas['ConsentAnswer'][] }) {
  const { run, refusal } = useDo();
  const times = useTimes();
  const consentKinds = useWords('consents');
  const [history, setHistory] = useState(false);
  const record = (kind: string, given: boolean) =>
    void run(() => api.POST('/api/people/{id}/consents', { params: { path: { id: person } }, body: { kind, given } }));
  return (
    <Stack $gap={2}>
      {consentKinds.map((kind) => {
        const last = consents.find((c) => c.kind === kind.id);
        return (
          <Row key={kind.id} data-consent={kind.id}>
            <span style={{ minWidth: part.wideField }}>{kind.label}</span>
            <Choose
              label={kind.label}
              hideLabel
              choices={answers}
              value={last ? (last.given ? 'yes' : 'no') : ''}
              onChange={(answer) => record(kind.id, answer === 'yes')}
            />
            <Small>{last ? `${times.full(last.recordedAt)}, ${last.recordedBy}` : 'not asked yet'}</Small>
          </Row>
        );
      })}
      {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
      {consents.length > 0 && (
        <Row>
          <Button $kind="quiet" onPress={() => setHistory(!history)} aria-expanded={history}>
            {history ? 'Hide the history' : `Every answer (${consents.length})`}
          </Button>
        </Row>
      )}
      {history && (
        <Table>
          <tbody>
            {consents.map((c) => (
              <tr key={c.id}>
                <td>
                  <Mono>{times.full(c.recordedAt)}</Mono>
                </td>
                <td>{consentKinds.find((k) => k.id === c.kind)?.label ?? c.kind}</td>
                <td>{c.given ? 'given' : 'declined'}</td>
                <td>
                  <Small>{c.recordedBy}</Small>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </Stack>
  );
}
