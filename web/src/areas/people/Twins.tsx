/** Records that are likely the person being registered, each with why; one of them is taken, or somebody else is added. */

import type { Refusal, Schemas } from '../../api/client';
import { plainDate, sexWord } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';

type Twin = Schemas['Twin'];

export const twinsOf = (refusal: Refusal | null): Twin[] =>
  refusal?.is('likely-twin') ? (refusal.problem.current as unknown as Twin[]) : [];

export function Twins(p: { twins: Twin[]; onTake: (person: Schemas['PersonCard']) => void; onAdd: () => void }) {
  if (p.twins.length === 0) return null;
  return (
    <Notice $tone="brass" role="alert">
      <Stack>
        <strong>Is it one of these?</strong>
        {p.twins.map((t) => (
          <Row key={t.person.id}>
            <div>
              {t.person.name}
              <br />
              <Small>
                {[plainDate(t.person.birthDate), sexWord(t.person.sex), t.person.address, t.person.recordNumber]
                  .filter(Boolean)
                  .join(' · ')}
              </Small>
              <br />
              <Small>{t.reasons.join(', ')}</Small>
            </div>
            <Spread />
            <Button onPress={() => p.onTake(t.person)}>It is</Button>
          </Row>
        ))}
        <Row>
          <Button onPress={p.onAdd}>No, somebody else: add</Button>
        </Row>
      </Stack>
    </Notice>
  );
}
