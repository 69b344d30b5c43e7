/** Words as they stand on a page. */

import * as Aria from 'react-aria-components';
import styled from 'styled-components';
import { Fault, told } from './controls';
import { color, innerCorner, ring, space, stroke } from './tokens';

const Plain = styled(Aria.TextArea)`
  display: block;
  width: 100%;
  padding: ${space(0.5)} ${space(2)};
  border: 0;
  border-left: ${stroke.edge} solid transparent;
  border-radius: ${innerCorner};
  background: transparent;
  line-height: 1.5;
  resize: none;
  field-sizing: content;
  &[data-hovered] {
    background: ${color.paper};
  }
  &[data-focused] {
    background: ${color.paper};
    border-left-color: ${color.indigo};
    outline: none;
  }
  &[data-focus-visible] {
    outline: ${ring};
    outline-offset: -${stroke.hair};
  }
  &::placeholder {
    color: ${color.quiet};
  }
`;

/** Words as on a page: no box round them, as high as what is written, one line that invites while nothing is. */
export function Words(p: {
  label: string;
  name: string;
  value: string;
  onChange: (value: string) => void;
  onBlur: () => void;
  placeholder: string;
  fault: string | undefined;
}) {
  return (
    <Aria.TextField
      aria-label={p.label}
      name={p.name}
      value={p.value}
      onChange={p.onChange}
      onBlur={p.onBlur}
      {...told(p.fault)}
      validationBehavior="aria"
    >
      <Plain rows={1} placeholder={p.placeholder} />
      <Fault fault={p.fault} when={p.fault !== undefined} />
    </Aria.TextField>
  );
}
