import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Button } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Mono, Notice, Row, Small, Spread } from '../../ui/layout';

/** One's own days for a calendar program, by an address that nobody can guess. */
export function FeedDialog({ onClose }: { onClose: () => void }) {
  const [address, setAddress] = useState<string | null>(null);
  const [ended, setEnded] = useState(false);
  const { run, busy, refusal } = useDo();
  const make = async () => {
    const made = await run(() => api.POST('/api/me/feed'));
    if (made) setAddress(window.location.origin + made.address);
  };
  const end = async () => {
    if (!(await run(() => api.DELETE('/api/me/feed')))) return;
    setAddress(null);
    setEnded(true);
  };
  return (
    <Dialog title="My days in a calendar" open onClose={onClose}>
      <Form refusal={refusal}>
        <p>
          A calendar program can show your visits by their call-sign and type; no patient is named. Whoever has the
          address can read it, so keep it to yourself.
        </p>
        {address && (
          <Notice $tone="kelp" role="status">
            <Mono style={{ whiteSpace: 'normal', overflowWrap: 'anywhere' }}>{address}</Mono>
            <br />
            <Small>It is shown this once. An address that you had before has ended.</Small>
          </Notice>
        )}
        {ended && !address && <Notice role="status">There is no address any more.</Notice>}
        <Refused />
        <Row>
          <Button $kind="stop" isDisabled={busy} onPress={() => void end()}>
            End the address
          </Button>
          <Spread />
          <Button $kind="filled" isDisabled={busy} onPress={() => void make()}>
            Make a new address
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
