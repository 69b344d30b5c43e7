/** The charge lines of a visit: what stands there and why, whom each is for, and what it costs. */

import { useState } from 'react';
import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Mono, Row, Scroller, Small, Table } from '../../ui/layout';
import { color, corner, font, hair, space } from '../../ui/tokens';
import { Fee } from './Fee';

export type Line = Schemas['LineForm'];
type Shown = Schemas['ChargeLine'];

const Pointer = styled.button`
  width: ${space(7.5)};
  height: ${space(7.5)};
  margin-right: ${space(1)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  font-family: ${font.mono};
  cursor: pointer;
  &[aria-pressed='true'] {
    background: ${color.selected};
    border-color: ${color.indigo};
    color: ${color.indigo};
    font-weight: 700;
  }
`;

/** Modifiers as they are typed, with blanks or commas between; sent when the field is left. */
function Modifiers(p: { of: string; value: string[]; onSave: (modifiers: string[]) => void }) {
  const said = p.value.join(' ');
  const [typed, setTyped] = useState<string | null>(null);
  const leave = () => {
    const next = (typed ?? said)
      .toUpperCase()
      .split(/[\s,]+/)
      .filter(Boolean);
    setTyped(null);
    if (next.join(' ') !== said) p.onSave(next);
  };
  return (
    <div style={{ width: space(24) }} onBlur={leave}>
      <Field label={`Modifiers of ${p.of}`} hideLabel value={typed ?? said} onChange={setTyped} placeholder="none" />
    </div>
  );
}

/** The lines, and what is changed about one of them. */
export function Lines(p: {
  data: Schemas['ChargesView'];
  open: boolean;
  onSave: (next: (now: Line[]) => Line[]) => void;
}) {
  const { data, open, onSave } = p;
  // A line that was added a moment ago has no id yet where it is wanted.
  const is = (l: Line, shown: Shown) => (l.id ? l.id === shown.id : l.serviceCode === shown.serviceCode);
  const change = (shown: Shown, part: (l: Line) => Partial<Line>) =>
    onSave((now) => now.map((l) => (is(l, shown) ? { ...l, ...part(l) } : l)));
  const point = (shown: Shown, n: number) =>
    change(shown, (l) => {
      const at = l.pointers ?? [];
      return { pointers: at.includes(n) ? at.filter((x) => x !== n) : [...at, n] };
    });
  return (
    <Scroller>
      <Table>
        <thead>
          <tr>
            <th>Line</th>
            <th>Service</th>
            <th>Modifiers</th>
            <th>Diagnoses it is for</th>
            <th>Units</th>
            <th className="number">Fee</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {data.lines.map((l) => (
            <tr key={l.line.id} data-charge={l.line.serviceCode} data-by-itself={l.line.byItself || undefined}>
              <td>{l.line.number}</td>
              <td style={{ maxWidth: space(80) }}>
                {l.service} <Mono>{l.externalCode}</Mono>
                {l.line.reason && (
                  <>
                    <br />
                    <Small>{l.line.reason}</Small>
                  </>
                )}
              </td>
              <td>
                {open ? (
                  <Modifiers
                    of={l.service}
                    value={l.line.modifiers}
                    onSave={(modifiers) => change(l.line, () => ({ modifiers }))}
                  />
                ) : (
                  <Mono>{l.line.modifiers.join(' ')}</Mono>
                )}
              </td>
              <td>
                {data.diagnoses.map((d) => (
                  <Pointer
                    key={d.code}
                    type="button"
                    disabled={!open}
                    title={`${d.code} ${d.title}`}
                    aria-label={`${d.position}, line ${l.line.number} for ${d.code}`}
                    aria-pressed={l.line.pointers.includes(d.position)}
                    onClick={() => point(l.line, d.position)}
                  >
                    {d.position}
                  </Pointer>
                ))}
              </td>
              <td>
                {open ? (
                  <Row $gap={0} style={{ flexWrap: 'nowrap' }}>
                    <Button
                      $kind="quiet"
                      aria-label={`Fewer units of ${l.service}`}
                      onPress={() => change(l.line, (n) => ({ units: Math.max(1, n.units - 1) }))}
                    >
                      −
                    </Button>
                    <Mono>{l.line.units}</Mono>
                    <Button
                      $kind="quiet"
                      aria-label={`More units of ${l.service}`}
                      onPress={() => change(l.line, (n) => ({ units: n.units + 1 }))}
                    >
                      +
                    </Button>
                  </Row>
                ) : (
                  l.line.units
                )}
              </td>
              <td className="number">
                <Fee line={l} open={open} onSave={(own) => change(l.line, () => own)} />
              </td>
              <td>
                {open && (
                  <Button
                    $kind="quiet"
                    aria-label={`Remove ${l.service}`}
                    onPress={() => onSave((now) => now.filter((n) => !is(n, l.line)))}
                  >
                    Remove
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroller>
  );
}
