import { FileTrigger } from 'react-aria-components';
import styled from 'styled-components';
import { api, type Schemas, useDo } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Notice, Row, Small } from '../../ui/layout';
import { hair, innerCorner, part } from '../../ui/tokens';

const Picture = styled.img`
  height: ${part.cardHeight};
  max-width: 100%;
  border: ${hair};
  border-radius: ${innerCorner};
`;

const sides = ['front', 'back'] as const;

/** Both sides of the insurance card, as they were photographed or scanned. */
export function CardPictures({ view }: { view: Schemas['CoverageView'] }) {
  const may = useMay();
  const times = useTimes();
  const { discreet } = useSession();
  const { run, busy, refusal } = useDo();
  const id = view.coverage.id;
  const add = (side: string, file: File | undefined) =>
    file &&
    void run(() =>
      api.PUT('/api/coverages/{id}/card/{side}', {
        params: { path: { id, side } },
        body: file as unknown as string,
        bodySerializer: (body) => body as unknown as Blob,
        headers: { 'content-type': 'application/octet-stream' },
      }),
    );
  return (
    <>
      <Row $gap={4}>
        {sides.map((side) => {
          const card = view.cards.find((c) => c.side === side);
          // The digest makes a newer picture a new address, so that no old one is shown from memory.
          const address = card && `/api/coverages/${id}/card/${side}?${card.digest.slice(0, 12)}`;
          return (
            <Row key={side}>
              {card &&
                address &&
                !discreet &&
                (card.mediaType === 'application/pdf' ? (
                  <a href={address}>{side} of the card, PDF</a>
                ) : (
                  <a href={address} title={`Added by ${card.addedBy} on ${times.full(card.addedAt)}`}>
                    <Picture src={address} alt={`${side} of the card of ${view.payer}`} />
                  </a>
                ))}
              {may('edit_coverage') && (
                <FileTrigger
                  acceptedFileTypes={['image/png', 'image/jpeg', 'application/pdf']}
                  defaultCamera="environment"
                  onSelect={(files) => add(side, files?.[0])}
                >
                  <Button $kind="quiet" isDisabled={busy}>
                    {card ? `New picture, ${side}` : `Add the card’s ${side}`}
                  </Button>
                </FileTrigger>
              )}
            </Row>
          );
        })}
        {view.cards.length === 0 && !may('edit_coverage') && <Small>No picture of the card.</Small>}
      </Row>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
    </>
  );
}
