/** A payer's decision on paper: the scan beside the fields, balanced while it is typed, posted like one that came as a file. */

import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { forget, useKept } from '../../app/kept';
import { useSession } from '../../app/session';
import { dollars, plainDate, useBareName } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Form, Refused } from '../../ui/Form';
import { Columns, Mono, Notice, Row, Sheet, Small, Spread, Stack } from '../../ui/layout';
import { color, corner, hair, narrow, part, scan, space } from '../../ui/tokens';
import { LetterClaim } from './LetterClaim';
import { claimOf, emptyLetter, sent, type TypedClaim, withOne } from './letterForm';
import { claimsToDecide, letterStanding } from './queries';

/** A pause in the typing, after which the letter is reckoned once more. */
const PAUSE = 200;

/** The scan keeps its place while the fields scroll; where there is no room for both it stands above them. */
const Beside = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 5fr);
  gap: ${space(5)};
  align-items: start;
  > :first-child {
    position: sticky;
    top: ${space(4)};
  }
  @media (max-width: ${narrow}) {
    grid-template-columns: minmax(0, 1fr);
    > :first-child {
      position: static;
    }
  }
`;

const Scan = styled.iframe`
  width: 100%;
  height: ${scan.beside};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  @media (max-width: ${narrow}) {
    height: ${scan.above};
  }
`;

function ClaimFinder(p: { payer: string; onTake: (known: Schemas['LetterClaimView']) => void }) {
  const [text, setText] = useState('');
  const look = useLook(claimsToDecide(p.payer, text.trim()), p.payer !== '' && text.trim().length > 1);
  const bareName = useBareName();
  return (
    <Finder
      label="A claim that the letter names"
      name="claims"
      value={text}
      onChange={setText}
      items={text.trim().length > 1 ? (look.data ?? []) : []}
      keyOf={(c) => c.number}
      textOf={(c) => c.number}
      placeholder="Claim number, or the patient’s last name"
      onTake={(c) => {
        setText('');
        p.onTake(c);
      }}
      render={(c) => (
        <>
          {bareName(c.patient ?? '')} <Mono>{c.number}</Mono> {c.day && <Small>visit of {plainDate(c.day)}</Small>}
        </>
      )}
    />
  );
}

/** What the letter comes to, as far as it is typed; the last answer stands until the next is there. */
function useStanding(document: string, body: Schemas['LetterForm']) {
  const typed = JSON.stringify(body);
  const [asked, setAsked] = useState(typed);
  const [standing, setStanding] = useState<Schemas['LetterStanding'] | null>(null);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(typed), PAUSE);
    return () => clearTimeout(timer);
  }, [typed]);
  const form = JSON.parse(asked) as Schemas['LetterForm'];
  const look = useLook(letterStanding(document, form), form.payerId !== '');
  useEffect(() => {
    if (look.data) setStanding(look.data);
  }, [look.data]);
  return standing;
}

export function Letter({ document: id }: { document: string }) {
  const navigate = useNavigate();
  const { clinic } = useSession();
  const place = `letter/${id}`;
  const [typed, setTyped] = useKept(place, 'typed', emptyLetter);
  const { run, busy, refusal } = useDo();
  const methods = useWords('letterMethods');
  const standing = useStanding(id, sent(typed));
  const set = (change: Partial<typeof typed>) => setTyped({ ...typed, ...change });
  const setClaim = (at: number) => (change: Partial<TypedClaim>) => set({ claims: withOne(typed.claims, at, change) });
  const leave = () => navigate('/billing?tab=remittances');
  const post = async () => {
    const done = await run(() => api.POST('/api/letters/{id}/post', { params: { path: { id } }, body: sent(typed) }));
    if (!done) return;
    forget(place);
    void leave();
  };
  const left = standing?.leftCents ?? 0;
  const anything = typed.claims.length > 0 || typed.outside.length > 0;
  const unexplained = standing?.claims.some((c) => c.lines.some((l) => (l.unexplainedCents ?? 0) !== 0));
  return (
    <Beside>
      <Scan title="The letter" src={`/api/letters/${id}/scan`} />
      <Form refusal={refusal} onSave={post}>
        <Row>
          <h2>A payer’s letter</h2>
          <Spread />
          <a href={`/api/files/${id}`}>Scan</a>
          <Button $kind="quiet" onPress={() => void leave()}>
            Later
          </Button>
        </Row>
        <Columns $min={part.doseField}>
          <Pick
            label="Payer"
            name="payerId"
            value={typed.payerId || null}
            onChange={(payerId) => set({ payerId })}
            choices={clinic.payers.map((p) => ({ id: p.id, label: p.name }))}
          />
          <Pick
            label="The money comes by"
            name="method"
            value={typed.method}
            onChange={(method) => set({ method })}
            choices={methods}
          />
          <Field
            label="Its number"
            name="trace"
            value={typed.trace}
            onChange={(trace) => set({ trace })}
            hint="Of the cheque or transfer, else of the letter."
          />
          <Field
            label="Dated"
            name="paidOn"
            value={typed.paidOn}
            onChange={(paidOn) => set({ paidOn })}
            placeholder="11/20"
          />
          <Field label="Amount" name="amount" value={typed.amount} onChange={(amount) => set({ amount })} />
        </Columns>
        {typed.payerId ? (
          <ClaimFinder
            payer={typed.payerId}
            onTake={(known) => {
              const there = typed.claims.some((c) => c.known.number === known.number);
              if (!there) set({ claims: [...typed.claims, claimOf(known)] });
            }}
          />
        ) : (
          <Small>Choose the payer first; then the claims that went to it are found here.</Small>
        )}
        <div>
          {typed.claims.map((claim, at) => (
            <LetterClaim
              key={claim.known.number}
              at={at}
              claim={claim}
              standing={standing?.claims.find((c) => c.number === claim.known.number)}
              onChange={setClaim(at)}
              onRemove={() => set({ claims: typed.claims.filter((_, other) => other !== at) })}
            />
          ))}
          {typed.outside.map((o, at) => (
            <Sheet key={at}>
              <Row $align="end">
                <Field
                  label="Reason outside of claims"
                  name={`outside.${at}.reason`}
                  value={o.reason}
                  onChange={(reason) => set({ outside: withOne(typed.outside, at, { reason }) })}
                  hint="L6 interest, WO taken back, FB kept off a later payment"
                />
                <Field
                  label="What it is about"
                  name={`outside.${at}.reference`}
                  value={o.reference}
                  onChange={(reference) => set({ outside: withOne(typed.outside, at, { reference }) })}
                />
                <Field
                  label="Kept off the payment"
                  name={`outside.${at}.amount`}
                  value={o.amount}
                  onChange={(amount) => set({ outside: withOne(typed.outside, at, { amount }) })}
                  hint="With a minus where it is added"
                />
                <Button $kind="quiet" onPress={() => set({ outside: typed.outside.filter((_, n) => n !== at) })}>
                  Take off
                </Button>
              </Row>
            </Sheet>
          ))}
        </div>
        <Stack $gap={2}>
          {anything && standing && (
            <Notice $tone={left === 0 && !unexplained ? 'kelp' : 'coral'} data-letter-left={left}>
              {left !== 0
                ? `${dollars(left)} of the payment is not explained by its claims.`
                : unexplained
                  ? 'The payment is explained; a line is not.'
                  : '✓ Every cent is explained.'}
            </Notice>
          )}
          {standing?.faults
            .filter((f) => f.field.includes('.'))
            .map((f) => (
              <Small key={f.field}>{f.sentence}</Small>
            ))}
          <Refused />
        </Stack>
        <Row>
          <Button
            $kind="quiet"
            onPress={() => set({ outside: [...typed.outside, { reason: '', reference: '', amount: '' }] })}
          >
            An amount outside of claims
          </Button>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Post the letter
          </Button>
        </Row>
      </Form>
    </Beside>
  );
}
