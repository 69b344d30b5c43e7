/** A search whose answers hang below it. */

import { type ReactNode, useState } from 'react';
import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Fault, Input, Label, Option, Options, told } from './controls';
import { useFault } from './Form';
import { color, control, corner, hair, size, space } from './tokens';

const Found = styled(Options)`
  margin-top: ${space(1)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  max-height: ${control.shortList};
  overflow: auto;
  &[data-empty] {
    display: none;
  }
`;

const FoundHeading = styled(Aria.Header)`
  padding: ${space(1.5)} ${space(3)} 0;
  font-size: ${size.small};
  font-weight: 600;
  color: ${color.quiet};
`;

/** Answers under their headings, in the order in which each heading is first met. */
function grouped<T>(items: T[], groupOf: (item: T) => string): [string, T[]][] {
  const groups = new Map<string, T[]>();
  for (const item of items) groups.set(groupOf(item), [...(groups.get(groupOf(item)) ?? []), item]);
  return [...groups];
}

/** A search whose answers hang below it; arrows choose while the typing goes on, Enter takes. */
export function Finder<T extends object>(p: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  items: T[];
  keyOf: (item: T) => string;
  textOf: (item: T) => string;
  onTake: (item: T) => void;
  render: (item: T) => ReactNode;
  placeholder?: string;
  autoFocus?: boolean;
  hideLabel?: boolean;
  /** Enter before anything is typed. */
  onBlank?: () => void;
  /** Enter when nothing is found, and no search is still on its way. */
  onNone?: (() => void) | undefined;
  /** What it fills, when something may be wrong with that. */
  name?: string;
  /** The heading that an answer stands under; those of one heading come together. */
  groupOf?: (item: T) => string;
}) {
  const heard = useFault(p.name);
  // After something was taken the search begins anew; otherwise it would still point at an answer that is gone.
  const [round, setRound] = useState(0);
  const option = (item: T) => (
    <Option key={p.keyOf(item)} id={p.keyOf(item)} textValue={p.textOf(item)}>
      {p.render(item)}
    </Option>
  );
  return (
    <Aria.Autocomplete key={round} inputValue={p.value} onInputChange={p.onChange}>
      <Aria.SearchField
        aria-label={p.label}
        autoFocus={round > 0 || (p.autoFocus ?? false)}
        onSubmit={(text) => (text === '' ? p.onBlank?.() : p.items.length === 0 && p.onNone?.())}
        {...(p.name && { name: p.name })}
        {...told(heard)}
        validationBehavior="aria"
      >
        {!p.hideLabel && <Label>{p.label}</Label>}
        <Input placeholder={p.placeholder ?? ''} autoComplete="off" />
        <Fault fault={heard} when={heard !== undefined} />
      </Aria.SearchField>
      <Found
        aria-label={`${p.label}, found`}
        {...(!p.groupOf && { items: p.items })}
        selectionMode="none"
        onAction={(key) => {
          const item = p.items.find((i) => p.keyOf(i) === String(key));
          if (item) {
            setRound((n) => n + 1);
            p.onTake(item);
          }
        }}
      >
        {p.groupOf
          ? grouped(p.items, p.groupOf).map(([heading, items]) => (
              <Aria.ListBoxSection key={heading}>
                <FoundHeading>{heading}</FoundHeading>
                {items.map(option)}
              </Aria.ListBoxSection>
            ))
          : (item) => option(item as T)}
      </Found>
    </Aria.Autocomplete>
  );
}
