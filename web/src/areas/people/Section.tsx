import { type ReactNode, useState } from 'react';
import styled from 'styled-components';
import type { Schemas } from '../../api/client';
import { Button } from '../../ui/controls';
import { Row, Small, Spread, Tag } from '../../ui/layout';
import { color, corner, hair, part, space } from '../../ui/tokens';

const Box = styled.section`
  background: ${color.sheet};
  border: ${hair};
  border-radius: ${corner};
  padding: ${space(3)} ${space(5)};
  margin-bottom: ${space(2)};
  h3 {
    min-width: ${part.lane};
  }
`;

/** One part of the registration form: says what it lacks, and saves when it is left. */
export function Section(p: {
  section: Schemas['SectionView'];
  summary: string;
  open: boolean;
  onLeave?: () => void;
  children: ReactNode;
}) {
  const [chosen, choose] = useState<boolean | null>(null);
  const shown = chosen ?? p.open;
  const lacking = p.section.gaps.map((g) => g.word).join(', ');
  return (
    <Box
      aria-label={p.section.label}
      data-section={p.section.code}
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) p.onLeave?.();
      }}
    >
      <Row>
        <h3>{p.section.label}</h3>
        <Tag $tone={lacking ? 'brass' : 'kelp'}>{lacking ? 'lacks' : '✓ complete'}</Tag>
        <Small>{lacking || p.summary}</Small>
        <Spread />
        <Button
          $kind="quiet"
          onPress={() => choose(!shown)}
          aria-expanded={shown}
          aria-label={`${shown ? 'Fold' : 'Open'} ${p.section.label}`}
        >
          {shown ? 'Fold' : 'Open'}
        </Button>
      </Row>
      {shown && <div style={{ marginTop: space(3) }}>{p.children}</div>}
    </Box>
  );
}
