/** Choosing several, and what is done now and then. */

import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Button, Check, type Choice, Float } from './controls';
import { Row, Small } from './layout';
import { color, innerCorner, ring, ringGap, space } from './tokens';

/** Several of a few choices, side by side. */
export function Several<T extends string | number>(p: {
  label: string;
  showLabel?: boolean;
  choices: { id: T; label: string }[];
  value: T[];
  onChange: (value: T[]) => void;
}) {
  return (
    <Row role="group" aria-label={p.label}>
      {p.showLabel && <Small>{p.label}</Small>}
      {p.choices.map((c) => (
        <Check
          key={c.id}
          label={c.label}
          value={p.value.includes(c.id)}
          onChange={(on) => p.onChange(on ? [...p.value, c.id] : p.value.filter((x) => x !== c.id))}
        />
      ))}
    </Row>
  );
}

/** Weekdays by their number, Monday is 1. */
export const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
export const weekdayChoices = weekdays.map((label, n) => ({ id: n + 1, label }));

const MenuItem = styled(Aria.MenuItem)`
  padding: ${space(1.5)} ${space(2.5)};
  border-radius: ${innerCorner};
  cursor: pointer;
  &[data-focused] {
    background: ${color.selected};
  }
`;

const MenuList = styled(Aria.Menu)`
  padding: ${space(1)};
`;

const Inline = styled(Aria.Button)`
  all: unset;
  cursor: pointer;
  color: ${color.indigo};
  font-weight: 600;
  &[data-focus-visible] {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

/** What is done now and then, behind one button; `short` shows three dots, `inline` stands in a line of text. */
export function Menu(p: {
  label: string;
  short?: boolean;
  inline?: boolean;
  items: (Choice & { onChoose: () => void })[];
}) {
  return (
    <Aria.MenuTrigger>
      {p.inline ? (
        <Inline>{p.label} ▾</Inline>
      ) : p.short ? (
        <Button $kind="quiet" aria-label={p.label}>
          ⋯
        </Button>
      ) : (
        <Button>{p.label} ▾</Button>
      )}
      <Float>
        <MenuList items={p.items}>
          {(item) => (
            <MenuItem
              id={(item as Choice).id}
              onAction={() => p.items.find((i) => i.id === (item as Choice).id)?.onChoose()}
            >
              {(item as Choice).label}
            </MenuItem>
          )}
        </MenuList>
      </Float>
    </Aria.MenuTrigger>
  );
}
