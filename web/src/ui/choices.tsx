/** Choosing several, and what is done now and then. */

import type { ReactNode } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Button, Check, type Choice, Float, Label, Option, Options, SelectButton } from './controls';
import { Row, Small } from './layout';
import { color, control, corner, hair, innerCorner, ring, ringGap, size, space, stroke } from './tokens';

/** The box of a choice in a list, ticked or not. */
const Tick = styled.span`
  display: inline-grid;
  place-items: center;
  flex: none;
  width: ${control.box};
  height: ${control.box};
  margin-right: ${space(2)};
  border: ${stroke.box} solid ${color.quiet};
  border-radius: ${innerCorner};
  background: ${color.sheet};
  color: ${color.onIndigo};
  font-size: ${size.small};
  font-weight: 700;
  &[data-on='true'] {
    background: ${color.indigo};
    border-color: ${color.indigo};
  }
`;

const List = styled(Options)`
  border: ${hair};
  border-radius: ${corner};
  max-height: ${control.fewRows};
  overflow: auto;
`;

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

/** Several of many choices, from a list that hangs down; nothing chosen means any. */
export function PickSeveral(p: {
  label: string;
  choices: Choice[];
  value: string[];
  onChange: (value: string[]) => void;
  /** What nothing chosen means. */
  none?: string;
}) {
  const chosen = p.choices.filter((c) => p.value.includes(c.id));
  const words = chosen.length > 2 ? `${chosen.length} chosen` : chosen.map((c) => c.label).join(', ');
  return (
    <Aria.Select
      selectionMode="multiple"
      value={p.value}
      onChange={(keys) => p.onChange(keys.map(String))}
      placeholder={p.none ?? 'Any'}
    >
      <Label>{p.label}</Label>
      <SelectButton>
        <Aria.SelectValue>{() => words || (p.none ?? 'Any')}</Aria.SelectValue>
      </SelectButton>
      <Float>
        <Options items={p.choices}>
          {(c) => (
            <Option textValue={(c as Choice).label}>
              {({ isSelected }) => (
                <>
                  <Tick aria-hidden data-on={isSelected}>
                    {isSelected ? '✓' : ''}
                  </Tick>
                  {(c as Choice).label}
                </>
              )}
            </Option>
          )}
        </Options>
      </Float>
    </Aria.Select>
  );
}

/** A list of which some are taken: arrows, Shift for ranges, Ctrl+A for all. */
export function TakeSeveral<T extends object>(p: {
  label: string;
  items: T[];
  keyOf: (item: T) => string;
  textOf: (item: T) => string;
  value: string[];
  onChange: (value: string[]) => void;
  render: (item: T) => ReactNode;
}) {
  return (
    <List
      aria-label={p.label}
      items={p.items}
      selectionMode="multiple"
      selectedKeys={p.value}
      onSelectionChange={(keys) => p.onChange(keys === 'all' ? p.items.map(p.keyOf) : [...keys].map(String))}
    >
      {(item) => (
        <Option id={p.keyOf(item as T)} textValue={p.textOf(item as T)}>
          {({ isSelected }) => (
            <Row $gap={1}>
              <Tick aria-hidden data-on={isSelected}>
                {isSelected ? '✓' : ''}
              </Tick>
              {p.render(item as T)}
            </Row>
          )}
        </Option>
      )}
    </List>
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

/** A label that opens what can be done with what it stands beside; the keys of the place do the same. */
const Gutter = styled(Aria.Button)`
  all: unset;
  cursor: pointer;
  border-radius: ${innerCorner};
  &[data-hovered],
  &[data-pressed],
  &[aria-expanded='true'] {
    color: ${color.indigo};
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  &[data-focus-visible] {
    outline: ${ring};
    outline-offset: ${ringGap};
  }
`;

/** What is done now and then, behind one button; `short` shows three dots, `inline` stands in a line of text, `gutter` is a label. */
export function Menu(p: {
  label: string;
  short?: boolean;
  inline?: boolean;
  gutter?: string;
  items: (Choice & { onChoose: () => void })[];
}) {
  return (
    <Aria.MenuTrigger>
      {p.gutter !== undefined ? (
        <Gutter aria-label={p.gutter} excludeFromTabOrder>
          {p.label}
        </Gutter>
      ) : p.inline ? (
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
