/** What a letter says of one claim: each line with what was paid, and each reason for what was not. */

import { Fragment, type ReactNode } from 'react';
import type { Schemas } from '../../api/client';
import { useWords } from '../../app/choices';
import { dollars, plainDate, useBareName } from '../../app/words';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Mono, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { space } from '../../ui/tokens';
import { emptyReason, type TypedClaim, type TypedLine, USUAL, withOne } from './letterForm';

const Money = (p: { children: ReactNode }) => <div style={{ width: space(20) }}>{p.children}</div>;

/** What is left of a line is what the eye goes to; a line that nothing is typed of is not in the letter. */
function Left({ cents }: { cents: number | null | undefined }) {
  if (cents == null) return <Small>not named</Small>;
  if (cents === 0) return <Tag $tone="kelp">✓ explained</Tag>;
  return <Tag $tone="coral">{dollars(cents)} left</Tag>;
}

export function LetterClaim(p: {
  at: number;
  claim: TypedClaim;
  standing: Schemas['LetterClaimView'] | undefined;
  onChange: (change: Partial<TypedClaim>) => void;
  onRemove: () => void;
}) {
  const bareName = useBareName();
  const groups = useWords('adjustmentGroups');
  const { known, lines } = p.claim;
  const change = (n: number, line: Partial<TypedLine>) => p.onChange({ lines: withOne(lines, n, line) });
  return (
    <Sheet data-letter-claim={known.number}>
      <Stack $gap={3}>
        <Row>
          <strong>{bareName(known.patient ?? known.number)}</strong>
          <Mono>{known.number}</Mono>
          {known.day && <Small>visit of {plainDate(known.day)}</Small>}
          <Spread />
          <Check
            label="Takes an earlier decision back"
            value={p.claim.takesBack}
            onChange={(takesBack) => p.onChange({ takesBack })}
          />
          <Button $kind="quiet" onPress={p.onRemove}>
            Not in the letter
          </Button>
        </Row>
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Service</th>
                <th className="number">Charged</th>
                <th>Paid</th>
                {USUAL.map((u) => (
                  <th key={u.reason}>{u.label}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {known.lines.map((l, n) => {
                const typed = lines[n];
                if (!typed) return null;
                const name = (rest: string) => `claims.${p.at}.lines.${n}.${rest}`;
                return (
                  <Fragment key={l.number}>
                    <tr>
                      <td>{l.service}</td>
                      <td className="number">
                        {dollars(l.chargedCents)}
                        <div>
                          <Left cents={p.standing?.lines[n]?.unexplainedCents} />
                        </div>
                      </td>
                      <td>
                        <Money>
                          <Field
                            label={`Paid for ${l.service}`}
                            hideLabel
                            name={name('paid')}
                            value={typed.paid}
                            onChange={(paid) => change(n, { paid })}
                          />
                        </Money>
                      </td>
                      {USUAL.map((u, at) => (
                        <td key={u.reason}>
                          <Money>
                            <Field
                              label={`${u.label} of ${l.service}`}
                              hideLabel
                              name={name(`reasons.${at}.amount`)}
                              value={typed.usual[at] ?? ''}
                              onChange={(amount) =>
                                change(n, { usual: typed.usual.map((was, other) => (other === at ? amount : was)) })
                              }
                            />
                          </Money>
                        </td>
                      ))}
                    </tr>
                    <tr>
                      <td colSpan={3 + USUAL.length}>
                        {typed.others.map((o, at) => (
                          <Row key={at} $align="end">
                            <Pick
                              label="Borne as"
                              name={name(`reasons.${USUAL.length + at}.group`)}
                              value={o.group}
                              onChange={(group) => change(n, { others: withOne(typed.others, at, { group }) })}
                              choices={groups}
                            />
                            <div style={{ width: space(16) }}>
                              <Field
                                label="Reason"
                                name={name(`reasons.${USUAL.length + at}.reason`)}
                                value={o.reason}
                                onChange={(reason) => change(n, { others: withOne(typed.others, at, { reason }) })}
                                autoFocus
                              />
                            </div>
                            <Money>
                              <Field
                                label="Amount"
                                name={name(`reasons.${USUAL.length + at}.amount`)}
                                value={o.amount}
                                onChange={(amount) => change(n, { others: withOne(typed.others, at, { amount }) })}
                              />
                            </Money>
                            <Button
                              $kind="quiet"
                              onPress={() => change(n, { others: typed.others.filter((_, other) => other !== at) })}
                            >
                              Take off
                            </Button>
                          </Row>
                        ))}
                        <div>
                          <Button
                            $kind="quiet"
                            aria-label={`Another reason for ${l.service}`}
                            onPress={() => change(n, { others: [...typed.others, emptyReason] })}
                          >
                            Another reason
                          </Button>
                        </div>
                      </td>
                    </tr>
                  </Fragment>
                );
              })}
            </tbody>
          </Table>
        </Scroller>
        {(p.standing?.says.length ?? 0) > 0 && <Small>{p.standing?.says.join(' ')}</Small>}
      </Stack>
    </Sheet>
  );
}
