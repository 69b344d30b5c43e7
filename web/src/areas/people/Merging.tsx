import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { dollars, plainDate, sexWord, telephone, useTimes } from '../../app/words';
import { Button, Choose } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Notice, Row, Small, Spread, Stack, Table } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { FindPerson } from './FindPerson';
import { coverages } from '../coverage/queries';
import { account } from '../money/queries';
import { differences, person, visitsOf } from './queries';

type Card = Schemas['PersonCard'];
type View = Schemas['PersonView'];

/** Two records side by side, and what becomes of them. */
function Compare(p: { kept: Card; gone: Card; onSwap: () => void; onDone: () => void }) {
  const { run, busy, refusal } = useDo();
  const other = useLook(coverages(p.gone.id));
  const own = useLook(coverages(p.kept.id));
  const policies = (list: Schemas['CoverageView'][] | undefined) =>
    list?.map((c) => `${c.payer} ${c.coverage.subscriberNumber}`).join('; ') ?? '';
  const may = useMay();
  const times = useTimes();
  const [kept, gone] = [useLook(person(p.kept.id)), useLook(person(p.gone.id))];
  const [keptVisits, goneVisits] = [useLook(visitsOf(p.kept.id)), useLook(visitsOf(p.gone.id))];
  const seesMoney = may('see_charges');
  const [keptOwes, goneOwes] = [useLook(account(p.kept.id), seesMoney), useLook(account(p.gone.id), seesMoney)];
  const restriction = (view: View | undefined) => (view?.registration.restricted ? 'chart under restriction' : '');
  const visitsInWords = (list: Schemas['VisitCard'][] | undefined) => {
    const last = list
      ?.map((v) => v.visit.startsAt)
      .sort()
      .at(-1);
    return last ? `${list?.length ?? 0}, the last ${times.full(last)}` : '';
  };
  const owedInWords = (a: Schemas['AccountView'] | undefined) =>
    (a?.owed ?? []).map((o) => `${o.who} ${dollars(o.cents)}`).join('; ');
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
    ['Chart alert', p.kept.chartAlert ?? '', p.gone.chartAlert ?? ''],
    ['Restriction', restriction(kept.data), restriction(gone.data)],
    ['Visits', visitsInWords(keptVisits.data), visitsInWords(goneVisits.data)],
    ...(may('see_charges')
      ? ([['Owed', owedInWords(keptOwes.data), owedInWords(goneOwes.data)]] as [string, string, string][])
      : []),
  ];
  const merge = async (unlike: boolean) => {
    const params = { path: { id: p.kept.id } };
    const body = { goneId: p.gone.id, choices: taken, unlike };
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
      {refusal?.is('ask-unlike') && (
        <Row>
          <Spread />
          <Button $kind="stop" isDisabled={busy} onPress={() => void merge(true)}>
            They are one person: merge them
          </Button>
        </Row>
      )}
      <Row>
        <Button onPress={p.onSwap}>Keep {p.gone.recordNumber} instead</Button>
        <Spread />
        <Button
          $kind="filled"
          onPress={() => void merge(false)}
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
  const [swapped, setSwapped] = useState(false);
  const navigate = useNavigate();
  const { run, refusal } = useDo();
  const times = useTimes();
  const close = () => {
    setOpen(false);
    setGone(null);
    setSwapped(false);
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
          <Compare
            key={String(swapped)}
            kept={swapped ? gone : view.card}
            gone={swapped ? view.card : gone}
            onSwap={() => setSwapped(!swapped)}
            onDone={() => {
              close();
              // Work goes on with the record that stays.
              if (swapped) navigate(`/people/${gone.id}`);
            }}
          />
        ) : (
          <FindPerson label="Find the other record" onTake={(p) => p.id !== view.card.id && setGone(p)} />
        )}
      </Dialog>
    </Stack>
  );
}
