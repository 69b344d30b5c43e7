/** What a payer would refuse, what is worth a look, and where each is put right. */

import { Link } from 'react-router';
import type { Schemas } from '../../api/client';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';
import { useFix } from './fix';

export function ClaimCheck(p: {
  data: Schemas['ChargesView'];
  person: string;
  visit: string;
  /** Says of a pair that the note tells them as unrelated. */
  onUnrelated?: (pair: string) => void;
}) {
  const fix = useFix(p.person, p.visit);
  const { data } = p;
  return (
    <Stack>
      {data.ready && (
        <Notice $tone="kelp">
          {data.said}{' '}
          <details style={{ display: 'inline' }}>
            <summary style={{ display: 'inline', cursor: 'pointer', textDecoration: 'underline' }}>which</summary>
            <Small> {data.checks.join(', ')}.</Small>
          </details>
        </Notice>
      )}
      {data.faults.map((f) => {
        // What lies on this very page needs no way to it.
        const way = f.place === 'charges' ? null : fix(f.place);
        return (
          <Notice key={f.sentence} $tone={f.severity === 'stops' ? 'brass' : 'tide'} data-fault={f.code}>
            <Row>
              <span>
                {f.severity === 'warns' && <b>Look: </b>}
                {f.sentence}
              </span>
              <Spread />
              {f.pair && p.onUnrelated && (
                <Button onPress={() => p.onUnrelated?.(f.pair ?? '')}>The note says unrelated</Button>
              )}
              {way && <Link to={way.to}>{way.word}</Link>}
            </Row>
          </Notice>
        );
      })}
    </Stack>
  );
}
