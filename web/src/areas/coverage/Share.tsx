import type { Schemas } from '../../api/client';
import { dollars } from '../../app/words';
import { Mono, Small, Stack, Table } from '../../ui/layout';
import { River } from '../../ui/River';

/** What the patient will likely owe, line by line, with the reason of each step. */
export function Share({ share }: { share: Schemas['ShareView'] }) {
  return (
    <Stack data-share={share.totalCents}>
      <h3>Share estimate: {dollars(share.totalCents)}</h3>
      <River parts={share.river} />
      <Table>
        <tbody>
          {share.lines.map((l) => (
            <tr key={l.name}>
              <td>{l.name}</td>
              <td>{l.why}</td>
              <td className="number">
                <Mono>
                  {dollars(l.shareCents)} of {dollars(l.feeCents)}
                </Mono>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p>{share.sentences.join(' ')}</p>
      <Small>Counted with the clinic’s own fees; what a payer allows may be less.</Small>
    </Stack>
  );
}
