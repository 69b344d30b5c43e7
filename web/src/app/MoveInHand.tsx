/** Moving the visit in hand by a key, on every screen: what cannot be done says why, once. */

import { useEffect, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, useDo } from '../api/client';
import { Button } from '../ui/controls';
import { Notice, Row, Spread } from '../ui/layout';
import { space } from '../ui/tokens';
import { useMay, useSession } from './session';

const Strip = styled.div`
  padding: ${space(1)} ${space(5)};
`;

export function useMoveInHand() {
  const { inHand } = useSession();
  const may = useMay();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const { run, busy, refusal, forget } = useDo();
  const [why, setWhy] = useState<string | null>(null);
  const visit = inHand && 'visit' in inHand ? inHand.visit : null;
  const close = () => {
    setWhy(null);
    forget();
  };
  // What was said of one visit is nothing beside another.
  useEffect(() => {
    setWhy(null);
    forget();
  }, [visit, forget]);
  const move = async (to: 'next' | 'back', todayInstead = false) => {
    setWhy(null);
    if (!visit) return setWhy('No visit is in hand. Choose one first.');
    if (!may('move_patients')) return setWhy('Your role moves no patients.');
    const params = { path: { id: visit } };
    const body = { to, byKey: to === 'back', todayInstead };
    let open = false;
    const done = await run(async () => {
      const answer = await api.POST('/api/visits/{id}/stage', { params, body });
      open = answer.error?.type === 'urn:indigo-harbor:check-in-open';
      return answer;
    });
    // What check-in asks is asked where it happens.
    if (!done && open && may('check_in') && pathname !== `/visits/${visit}/check-in`)
      void navigate(`/visits/${visit}/check-in`);
  };
  return { move, busy, close, said: why ?? refusal?.message ?? null, otherDay: refusal?.is('other-day') ?? false };
}

export function Said({ of: m }: { of: ReturnType<typeof useMoveInHand> }) {
  if (!m.said) return null;
  return (
    <Strip>
      <Notice $tone="brass" role="alert" data-key-said>
        <Row>
          <span>{m.said}</span>
          <Spread />
          {m.otherDay && (
            <Button isDisabled={m.busy} onPress={() => void m.move('next', true)}>
              They come today instead
            </Button>
          )}
          <Button $kind="quiet" onPress={m.close}>
            Close
          </Button>
        </Row>
      </Notice>
    </Strip>
  );
}
