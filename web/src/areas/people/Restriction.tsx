import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Form, Refused } from '../../ui/Form';
import { Button, Field } from '../../ui/controls';
import { Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';

/** Puts a chart under restriction or lifts it: an act of its own, with its reason. */
export function Restriction({ person, restricted }: { person: string; restricted: boolean }) {
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState('');
  const { run, busy, refusal } = useDo();
  const act = async () => {
    const body = { restricted: !restricted, reason };
    if (!(await run(() => api.POST('/api/people/{id}/restriction', { params: { path: { id: person } }, body }))))
      return;
    setAsking(false);
    setReason('');
  };
  const word = restricted ? 'Lift the restriction' : 'Put the chart under restriction';
  return (
    <Sheet style={{ marginTop: space(5) }} data-restriction>
      <Row>
        <h2>Restriction</h2>
        {restricted ? <Tag $tone="brass">under restriction</Tag> : <Tag>none</Tag>}
        <Spread />
        {!asking && <Button onPress={() => setAsking(true)}>{word}</Button>}
      </Row>
      <Small>A restricted chart opens only with a reason, which is kept and told to the manager.</Small>
      {asking && (
        <Form refusal={refusal} onSave={act}>
          <Stack style={{ marginTop: space(3) }}>
            <Field
              label={restricted ? 'Why it is lifted' : 'Why it is set'}
              name="reason"
              value={reason}
              onChange={setReason}
              autoFocus
            />
            <Refused />
            <Row>
              <Spread />
              <Button $kind="quiet" onPress={() => setAsking(false)}>
                Leave it
              </Button>
              <Button type="submit" isDisabled={busy}>
                {word}
              </Button>
            </Row>
          </Stack>
        </Form>
      )}
    </Sheet>
  );
}
