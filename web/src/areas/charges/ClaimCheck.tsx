/** What a payer would refuse, what is worth a look, and where each is put right. */

import { Link } from 'react-router';
import type { Schemas } from '../../api/client';
import { useMay } from '../../app/session';
import { Button } from '../../ui/controls';
import { Notice, Row, Small, Spread, Stack } from '../../ui/layout';

type Fault = Schemas['FaultView'];

/** Where a fault is put right, for who may go there. */
function useFix(person: string, visit: string) {
  const may = useMay();
  return (place: Fault['place']): { to: string; word: string } | null => {
    switch (place) {
      case 'registration':
        return may('edit_people') ? { to: `/people/${person}`, word: 'Open registration' } : null;
      case 'coverage':
        return may('edit_coverage') ? { to: `/people/${person}`, word: 'Open coverage' } : null;
      case 'note':
        return may('see_chart') ? { to: `/visits/${visit}/note`, word: 'Open the note' } : null;
      case 'staff':
        return may('manage_staff') ? { to: '/settings?part=staff', word: 'Open staff' } : null;
      case 'clinic':
        return may('set_clinic') ? { to: '/settings?part=building', word: 'Open the clinic' } : null;
      default:
        return null;
    }
  };
}

export function ClaimCheck(p: {
  data: Schemas['ChargesView'];
  person: string;
  visit: string;
  /** Says of a pair that the note tells them as unrelated. */
  onUnrelated?: (fault: Fault) => void;
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
        const way = fix(f.place);
        return (
          <Notice key={f.sentence} $tone={f.severity === 'stops' ? 'brass' : 'tide'} data-fault={f.code}>
            <Row>
              <span>
                {f.severity === 'warns' && <b>Look: </b>}
                {f.sentence}
              </span>
              <Spread />
              {f.code === 'presumption' && p.onUnrelated && (
                <Button onPress={() => p.onUnrelated?.(f)}>The note says unrelated</Button>
              )}
              {way && <Link to={way.to}>{way.word}</Link>}
            </Row>
          </Notice>
        );
      })}
    </Stack>
  );
}
