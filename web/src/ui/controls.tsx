/** React Aria controls, styled once. */

import { type ReactNode } from 'react';
import * as Aria from 'react-aria-components';
import styled, { css } from 'styled-components';
import { useFault } from './Form';
import { color, control, corner, font, hair, innerCorner, ring, shadow, size, space, stroke } from './tokens';

const filled = css`
  background: ${color.indigo};
  border-color: ${color.indigo};
  color: ${color.onIndigo};
  &[data-hovered],
  &[data-pressed] {
    background: ${color.pressed};
    border-color: ${color.pressed};
  }
`;

/** The filled button of a place is its main action, and says so: Ctrl+Enter presses it. */
const main: object = { 'data-main-action': true };

export const Button = styled(Aria.Button).attrs<{ $kind?: 'filled' | 'quiet' | 'stop' }>((p) =>
  p.$kind === 'filled' ? main : {},
)`
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: ${space(2)};
  min-height: ${control.height};
  padding: ${space(1.5)} ${space(4)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  color: ${color.indigo};
  font-family: ${font.words};
  font-weight: 600;
  cursor: pointer;
  white-space: nowrap;
  &[data-hovered] {
    background: ${color.selected};
  }
  &[data-disabled] {
    opacity: 0.55;
    cursor: default;
  }
  ${(p) => p.$kind === 'filled' && filled}
  ${(p) => p.$kind === 'quiet' && `border-color: transparent; background: transparent; min-height: ${control.quiet}; padding: 0 ${space(2)};`}
  ${(p) => p.$kind === 'stop' && `color: ${color.coral};`}
`;

export const Label = styled(Aria.Label)`
  display: block;
  font-size: ${size.small};
  color: ${color.quiet};
  margin-bottom: ${space(1)};
`;

const box = css`
  width: 100%;
  min-height: ${control.height};
  padding: ${space(1.5)} ${space(2.5)};
  border: ${stroke.hair} solid ${color.quiet};
  border-radius: ${corner};
  background: ${color.sheet};
  &[data-focused] {
    border-color: ${color.indigo};
    outline: ${ring};
    outline-offset: ${stroke.hair};
  }
  &[data-invalid] {
    border-color: ${color.coral};
  }
  &::placeholder {
    color: ${color.quiet};
  }
`;

export const Input = styled(Aria.Input)`
  ${box}
`;

const Area = styled(Aria.TextArea)`
  ${box}
  line-height: 1.5;
  resize: vertical;
  field-sizing: content;
`;

const FaultText = styled(Aria.FieldError)`
  display: block;
  margin-top: ${space(1)};
  font-size: ${size.small};
  color: ${color.coral};
`;

const Aside = styled.span`
  float: right;
`;

const Hint = styled.p`
  margin-top: ${space(1)};
  font-size: ${size.small};
  color: ${color.quiet};
`;

interface FieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** What is wrong with it, in a sentence. */
  fault?: string | undefined;
  hint?: ReactNode;
  /** A word at the end of the label's line. */
  aside?: string;
  autoFocus?: boolean;
  placeholder?: string;
  type?: string;
  name?: string;
  onBlur?: () => void;
  isDisabled?: boolean;
  lines?: number;
  hideLabel?: boolean;
  onKeyDown?: (event: { key: string }) => void;
}

/** What is wrong with a field: as the screen says, or as the form around heard from the server. */
export const Fault = ({ fault, when }: { fault: string | undefined; when: boolean }) =>
  when && (
    <div role="alert">
      <FaultText>{fault}</FaultText>
    </div>
  );

/** By a fault that the screen itself knows, or that the form around heard from the server. */
export const told = (fault: string | undefined) => (fault ? { isInvalid: true } : {});

export function Field(p: FieldProps) {
  const heard = useFault(p.name);
  const fault = p.fault ?? heard;
  return (
    <Aria.TextField
      value={p.value}
      onChange={p.onChange}
      {...told(fault)}
      // A fault told by the server must not keep the corrected form from being sent again.
      validationBehavior="aria"
      isDisabled={p.isDisabled ?? false}
      name={p.name ?? p.label}
      type={p.type ?? 'text'}
      onBlur={p.onBlur}
      autoFocus={p.autoFocus ?? false}
      aria-label={p.hideLabel ? p.label : undefined}
      onKeyDown={p.onKeyDown}
    >
      {({ isInvalid }) => (
        <>
          {!p.hideLabel && (
            <Label>
              {p.label}
              {p.aside && <Aside>{p.aside}</Aside>}
            </Label>
          )}
          {p.lines ? (
            <Area rows={p.lines} placeholder={p.placeholder ?? ''} />
          ) : (
            <Input placeholder={p.placeholder ?? ''} autoComplete="off" />
          )}
          <Fault fault={fault} when={isInvalid} />
          {p.hint && !isInvalid && <Hint>{p.hint}</Hint>}
        </>
      )}
    </Aria.TextField>
  );
}

export const SelectButton = styled(Aria.Button)`
  ${box}
  display: flex;
  justify-content: space-between;
  gap: ${space(2)};
  text-align: left;
  cursor: pointer;
  &::after {
    content: '▾';
    color: ${color.quiet};
  }
`;

export const Float = styled(Aria.Popover)`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  box-shadow: ${shadow};
  min-width: var(--trigger-width);
  max-height: ${control.list};
  overflow: auto;
`;

export const Options = styled(Aria.ListBox)`
  padding: ${space(1)};
`;

export const Option = styled(Aria.ListBoxItem)`
  padding: ${space(1.5)} ${space(2.5)};
  border-radius: ${innerCorner};
  cursor: pointer;
  &[data-focused],
  &[data-hovered] {
    background: ${color.selected};
  }
  &[data-selected] {
    font-weight: 600;
  }
`;

export interface Choice {
  id: string;
  label: string;
}

export function Pick(p: {
  label: string;
  choices: Choice[];
  value: string | null;
  onChange: (id: string) => void;
  fault?: string | undefined;
  placeholder?: string;
  hideLabel?: boolean;
  name?: string;
}) {
  const heard = useFault(p.name);
  const fault = p.fault ?? heard;
  return (
    <Aria.Select
      {...(p.name ? { name: p.name } : {})}
      value={p.value}
      onChange={(key) => key !== null && p.onChange(String(key))}
      {...told(fault)}
      validationBehavior="aria"
      placeholder={p.placeholder ?? 'Choose'}
      aria-label={p.hideLabel ? p.label : undefined}
    >
      {({ isInvalid }) => (
        <>
          {!p.hideLabel && <Label>{p.label}</Label>}
          <SelectButton>
            <Aria.SelectValue />
          </SelectButton>
          <Fault fault={fault} when={isInvalid} />
          <Float>
            <Options items={p.choices}>
              {(c) => <Option textValue={(c as Choice).label}>{(c as Choice).label}</Option>}
            </Options>
          </Float>
        </>
      )}
    </Aria.Select>
  );
}

const Segments = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${space(1)};
`;

const Segment = styled(Aria.Radio)`
  padding: ${space(1.5)} ${space(3)};
  border: ${hair};
  border-radius: ${corner};
  background: ${color.sheet};
  cursor: pointer;
  &[data-hovered] {
    background: ${color.selected};
  }
  &[data-selected] {
    background: ${color.selected};
    border-color: ${color.indigo};
    color: ${color.indigo};
    font-weight: 600;
  }
`;

/** A few choices side by side. */
export function Choose(p: {
  label: string;
  choices: Choice[];
  value: string;
  onChange: (id: string) => void;
  hideLabel?: boolean;
  fault?: string | undefined;
  name?: string;
}) {
  const heard = useFault(p.name);
  const fault = p.fault ?? heard;
  return (
    <Aria.RadioGroup
      {...told(fault)}
      {...(p.name ? { name: p.name } : {})}
      validationBehavior="aria"
      // A value that is no choice would leave no radio that Tab can reach.
      value={p.choices.some((c) => c.id === p.value) ? p.value : null}
      onChange={p.onChange}
      orientation="horizontal"
      aria-label={p.hideLabel ? p.label : undefined}
    >
      {({ isInvalid }) => (
        <>
          {!p.hideLabel && <Label>{p.label}</Label>}
          <Segments>
            {p.choices.map((c) => (
              <Segment key={c.id} value={c.id}>
                {c.label}
              </Segment>
            ))}
          </Segments>
          <Fault fault={fault} when={isInvalid} />
        </>
      )}
    </Aria.RadioGroup>
  );
}

const CheckLabel = styled(Aria.Checkbox)`
  display: inline-flex;
  align-items: center;
  gap: ${space(2)};
  cursor: pointer;
  &::before {
    content: '';
    width: ${control.box};
    height: ${control.box};
    flex: none;
    border: ${stroke.box} solid ${color.quiet};
    border-radius: ${innerCorner};
    background: ${color.sheet};
  }
  &[data-selected]::before {
    content: '✓';
    display: grid;
    place-items: center;
    background: ${color.indigo};
    border-color: ${color.indigo};
    color: ${color.onIndigo};
    font-size: ${size.small};
    font-weight: 700;
  }
`;

export function Check(p: { label: ReactNode; value: boolean; onChange: (v: boolean) => void; ariaLabel?: string }) {
  return (
    <CheckLabel isSelected={p.value} onChange={p.onChange} aria-label={p.ariaLabel}>
      {p.label}
    </CheckLabel>
  );
}

const TabLine = styled(Aria.TabList)`
  display: flex;
  flex-wrap: wrap;
  gap: ${space(1)};
  border-bottom: ${hair};
  margin-bottom: ${space(4)};
`;

const TabHead = styled(Aria.Tab)`
  padding: ${space(2)} ${space(3)};
  cursor: pointer;
  color: ${color.quiet};
  border-bottom: ${stroke.edge} solid transparent;
  margin-bottom: -${stroke.hair};
  &[data-selected] {
    color: ${color.indigo};
    border-color: ${color.indigo};
    font-weight: 600;
  }
  &[data-hovered] {
    color: ${color.indigo};
  }
`;

export interface TabItem {
  id: string;
  label: string;
  content: ReactNode;
}

export function Tabs(p: { label: string; items: TabItem[]; value: string; onChange: (id: string) => void }) {
  return (
    // What has the focus within is ringed, not all of it.
    <Aria.Tabs style={{ outline: 'none' }} selectedKey={p.value} onSelectionChange={(key) => p.onChange(String(key))}>
      <TabLine aria-label={p.label}>
        {p.items.map((t) => (
          <TabHead key={t.id} id={t.id}>
            {t.label}
          </TabHead>
        ))}
      </TabLine>
      {p.items.map((t) => (
        <Aria.TabPanel key={t.id} id={t.id}>
          {t.content}
        </Aria.TabPanel>
      ))}
    </Aria.Tabs>
  );
}
