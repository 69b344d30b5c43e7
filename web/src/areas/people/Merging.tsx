import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { plainDate, sexWord, telephone, useTimes } from '../../app/words';
import { Button, Choose } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Notice, Row, Small, Spread, Stack, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { FindPerson } from './FindPerson';
import { coverages } from '../coverage/queries';
import { differences } from './queries';

type Card = Schemas['PersonCard'];
type View = Schemas['PersonView'];

/** Two records side by side, and what becomes of them. */
function Compare(p: { kept: Card; gone: Card; onDone: () => void }) {
  const { run, busy, refusal } = useDo();
  const other = useLook(coverages(p.gone.id));
  const own = useLook(coverages(p.kept.id));
  const policies = (list: Schemas['CoverageView'][] | undefined) =>
    list?.map((c) => `${c.payer} ${c.coverage.subscriberNumber}`).join('; ') ?? '';
  const [taken, setTaken] = useState<Record<string, boolean>>({});
  const differ = useLook(differences(p.kept.id, p.gone.id));
  const rows: [string, string, string][] = [
    ['Name', p.kept.name, p.gone.name],
    ['Preferred name', p.kept.preferredName, p.gone.preferredName],
    ['Birth date', plainDate(p.kept.birthDate), plainDate(p.gone.birthDate)],
    ['Sex', sexWord(p.kept.sex), sexWord(p.gone.sex)],
    ['Telephone', telephone(p.kept.phone), telephone(p.gone.phone)],
    ['Address', p.kept.address, p.gone.address],
    ['Coverage', policies(own.data), policies(other.data)],
  ];
  const merge = async () => {
    const params = { path: { id: p.kept.id } };
    const body = { goneId: p.gone.id, choices: taken };
    if (await run(() => api.POST('/api/people/{id}/merge', { params, body }))) p.onDone();
  };
  return (
    <Stack $gap={4}>
      <Table>
        <thead>
          <tr>
            <th />
            <th>Stays: {p.kept.recordNumber}</th>
            <th>Goes into it: {p.gone.recordNumber}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([label, a, b]) => (
            <tr key={label} data-selected={a !== b && a !== '' && b !== ''}>
              <td>
                <Small>{label}</Small>
              </td>
              <td>{a || '–'}</td>
              <td>{b || '–'}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      {(differ.data?.length ?? 0) > 0 && (
        <Stack data-differences>
          <strong>In this they differ. Choose what is right of each.</strong>
          <Columns $min={part.wideField}>
            {differ.data?.map((d) => (
              <Choose
                key={d.code}
                label={d.label}
                value={taken[d.code] === undefined ? '' : taken[d.code] ? 'gone' : 'kept'}
                onChange={(side) => setTaken({ ...taken, [d.code]: side === 'gone' })}
                choices={[
                  { id: 'kept', label: d.kept },
                  { id: 'gone', label: d.gone },
                ]}
              />
            ))}
          </Columns>
        </Stack>
      )}
      <Small>
        What is empty on the record that stays is filled from the other one; alerts and notes of both stand together;
        the stricter restriction holds. Visits, chart, coverage and consents are carried over. The two can be parted
        again until something new hangs on the record.
      </Small>
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Row>
        <Spread />
        <Button
          $kind="filled"
          data-main-action
          onPress={() => void merge()}
          isDisabled={busy || !differ.data || differ.data.some((d) => taken[d.code] === undefined)}
        >
          Merge {p.gone.recordNumber} into {p.kept.recordNumber}
        </Button>
      </Row>
    </Stack>
  );
}

/** Records merged into this one, and merging another. */
export function Merging({ view }: { view: View }) {
  const [open, setOpen] = useState(false);
  const [gone, setGone] = useState<Card | null>(null);
  const { run, refusal } = useDo();
  const times = useTimes();
  const close = () => {
    setOpen(false);
    setGone(null);
  };
  return (
    <Stack $gap={2}>
      {view.merges.map((m) => (
        <Row key={m.merge.id}>
          <span>
            {m.gone.recordNumber} {m.gone.name}
          </span>
          <Small>
            merged {times.full(m.merge.mergedAt)}, {m.merge.mergedBy}
          </Small>
          <Spread />
          <Button
            onPress={() => void run(() => api.DELETE('/api/merges/{id}', { params: { path: { id: m.merge.id } } }))}
            aria-label={`Part again ${m.gone.recordNumber}`}
          >
            Part again
          </Button>
        </Row>
      ))}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      <Row>
        <Button onPress={() => setOpen(true)}>Same person as another record</Button>
      </Row>
      <Dialog title="One person, two records" open={open} onClose={close} wide>
        {gone ? (
          <Compare kept={view.card} gone={gone} onDone={close} />
        ) : (
          <FindPerson label="Find the other record" onTake={(p) => p.id !== view.card.id && setGone(p)} />
        )}
      </Dialog>
    </Stack>
  );
}
