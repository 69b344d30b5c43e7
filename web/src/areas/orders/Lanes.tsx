/** Every order and prescription of a visit beside its diagnoses: a line each, and a key for each place. */

import { useEffect, useRef, useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useMay } from '../../app/session';
import { Button } from '../../ui/controls';
import { Mono, Notice, Row, Scroller, Small, Spread, Stack, Table } from '../../ui/layout';
import { color, hair, space, stroke } from '../../ui/tokens';
import { toggled, usePlace } from './OrderChip';

type Chart = Schemas['ChartView'];

const Line = styled.tr`
  cursor: default;
  &:focus {
    outline: ${stroke.thick} solid ${color.indigo};
    outline-offset: -${stroke.thick};
  }
  td:first-child {
    padding-left: ${space(2)};
    border-left: ${stroke.thick} solid transparent;
  }
  &[data-nowhere='true'] td:first-child {
    border-left-color: ${color.brass};
  }
`;

const Cell = styled.td`
  text-align: center;
  width: ${space(24)};
  border-left: ${hair};
`;

interface Item {
  key: string;
  name: string;
  state: string;
  codes: string[];
  /** A prescription lies under exactly one. */
  single: boolean;
  moves: boolean;
  odd: string | null;
  better: string | null;
  /** Where it lies by what was typed last, also before the answer is here. */
  now: () => string[];
  lay: (codes: string[]) => void;
}

export function Lanes({ chart }: { chart: Chart }) {
  const [open, setOpen] = useState(false);
  const many = chart.orders.length + chart.prescriptions.length;
  if (many === 0 || chart.diagnoses.length === 0) return null;
  return (
    <div data-lanes style={{ marginBottom: space(2) }}>
      <Row>
        <Spread />
        <Button $kind="quiet" data-lanes-button aria-expanded={open} onPress={() => setOpen(!open)}>
          {open ? 'Close the lanes' : `Orders and their diagnoses (L)`}
        </Button>
      </Row>
      {open && <Grid chart={chart} close={() => setOpen(false)} />}
    </div>
  );
}

function useItems(chart: Chart) {
  const may = useMay();
  const { place, lies, refusal } = usePlace();
  const { run, refusal: refused } = useDo();
  const writes = may('write_note');
  const wordOf = useWordOf('prescriptionStates');
  const orders: Item[] = chart.orders
    .filter((o) => o.order.state !== 'cancelled')
    .map((o) => ({
      key: o.order.id,
      name: o.order.testName,
      state: o.state,
      codes: o.codes,
      single: false,
      moves: o.order.state === 'draft' ? may('prepare_orders') && !chart.signature : writes,
      odd: o.misfit ?? (o.codes.length === 0 ? o.order.placementReason : null),
      better: o.better ?? null,
      lay: (codes) => place(o.order.id, codes),
      now: () => lies(o),
    }));
  const scripts: Item[] = chart.prescriptions.map((x) => ({
    key: x.id,
    name: x.medicine,
    state: wordOf(x.state),
    codes: x.diagnosis ? [x.diagnosis] : [],
    single: true,
    moves: writes,
    odd: null,
    better: null,
    now: () => (x.diagnosis ? [x.diagnosis] : []),
    lay: (codes) =>
      void run(() =>
        api.PUT('/api/prescriptions/{id}/diagnosis', {
          params: { path: { id: x.id } },
          body: { code: codes[0] ?? null },
        }),
      ),
  }));
  return { items: [...orders, ...scripts], refusal: refusal ?? refused };
}

function Grid({ chart, close }: { chart: Chart; close: () => void }) {
  const { items, refusal } = useItems(chart);
  const all = chart.diagnoses.map((d) => d.code);
  const body = useRef<HTMLTableSectionElement>(null);
  const [from] = useState(() => document.activeElement);
  // A digit, a dash and a digit are a range.
  const range = useRef<{ last: number | null; dash: boolean }>({ last: null, dash: false });
  useEffect(() => {
    body.current?.querySelector<HTMLElement>('tr')?.focus();
  }, []);
  const leave = () => {
    close();
    if (from instanceof HTMLElement && from.isConnected) from.focus();
  };
  const lay = (item: Item, digit: number) => {
    const { last, dash } = range.current;
    range.current = { last: digit, dash: false };
    if (digit > all.length) return;
    if (item.single) {
      const code = all[digit - 1];
      if (code) item.lay([code]);
      return;
    }
    if (dash && last !== null && last > 0 && digit > 0) {
      const codes = all.slice(Math.min(last, digit) - 1, Math.max(last, digit));
      item.lay([...new Set([...item.now(), ...codes])]);
      return;
    }
    const codes = toggled(item.now(), chart.diagnoses, digit);
    if (codes) item.lay(codes);
  };
  const keys = (event: React.KeyboardEvent<HTMLElement>, item: Item) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const line = event.currentTarget;
    const act: Record<string, () => void> = {
      ArrowDown: () => (line.nextElementSibling as HTMLElement | null)?.focus(),
      ArrowUp: () => (line.previousElementSibling as HTMLElement | null)?.focus(),
      Escape: leave,
    };
    if (item.moves) {
      act['-'] = () => (range.current.dash = true);
      act['b'] = () => item.better && item.lay([item.better]);
      // All of the visit's orders under all of its diagnoses.
      act['a'] = () => {
        for (const one of items) if (!one.single && one.moves) one.lay(all);
      };
      if (/^[0-9]$/.test(event.key)) act[event.key] = () => lay(item, Number(event.key));
    }
    const known = act[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!known) return;
    event.preventDefault();
    event.stopPropagation();
    known();
  };
  return (
    <Stack $gap={1} data-innermost>
      <Small>
        ↑ ↓ choose a line; 1 to {all.length} lay it under a diagnosis or take it away, 1-3 a range, 0 under all, B where
        it fits better; A lays all orders under all; Esc closes.
      </Small>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Scroller>
        <Table>
          <thead>
            <tr>
              <th>Ordered</th>
              {chart.diagnoses.map((d, i) => (
                <th key={d.code} title={d.title} style={{ textAlign: 'center' }}>
                  <Mono>{i + 1}</Mono> {d.code}
                </th>
              ))}
            </tr>
          </thead>
          <tbody ref={body}>
            {items.map((item) => (
              <Line
                key={item.key}
                tabIndex={0}
                data-lane-line={item.name}
                data-nowhere={item.codes.length === 0}
                aria-label={`${item.name}, under ${item.codes.join(', ') || 'no diagnosis'}`}
                onKeyDown={(event) => keys(event, item)}
              >
                <td>
                  {item.name} <Small>{item.state}</Small>
                  {item.odd && (
                    <div>
                      <Small>
                        {item.odd} {item.better && <Mono>B → {item.better}</Mono>}
                      </Small>
                    </div>
                  )}
                </td>
                {all.map((code) => {
                  const here = item.codes.includes(code);
                  return (
                    <Cell
                      key={code}
                      data-lies={here}
                      onClick={() => item.moves && lay(item, all.indexOf(code) + 1)}
                      title={`${item.name}: ${code}`}
                    >
                      {here ? '■' : item.better === code ? '◇' : '·'}
                    </Cell>
                  );
                })}
              </Line>
            ))}
          </tbody>
        </Table>
      </Scroller>
    </Stack>
  );
}
