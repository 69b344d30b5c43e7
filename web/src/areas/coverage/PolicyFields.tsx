/** What a policy says, as it is typed from its card: for a new one and for correcting one. */

import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { useSession } from '../../app/session';
import { amountText, telephone } from '../../app/words';
import { Button, Field, Pick } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Columns, Row, Small, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { FindPerson } from '../people/FindPerson';
import { NewParty } from '../people/NewParty';
import { findPayers } from './findPayers';
import { rankWord } from './PolicyTimeline';

const relations = [
  { id: '18', label: 'The patient' },
  { id: '01', label: 'Spouse' },
  { id: '19', label: 'Parent (patient is the child)' },
  { id: 'G8', label: 'Somebody else' },
];

export interface PolicyTyped {
  payerId: string | null;
  subscriberNumber: string;
  groupNumber: string;
  relationship: string;
  rank: string;
  planName: string;
  startsOn: string;
  endsOn: string;
  copay: string;
  holder: { id: string; name: string } | null;
}

export const blankPolicy: PolicyTyped = {
  payerId: null,
  subscriberNumber: '',
  groupNumber: '',
  relationship: '18',
  rank: 'P',
  planName: '',
  startsOn: '',
  endsOn: '',
  copay: '',
  holder: null,
};

/** A policy as it stands, to be corrected. */
export const typedOf = ({ coverage: c, holder }: Schemas['CoverageView']): PolicyTyped => ({
  payerId: c.payerId,
  subscriberNumber: c.subscriberNumber,
  groupNumber: c.groupNumber,
  relationship: c.relationship,
  rank: c.rank,
  planName: c.planName,
  startsOn: c.startsOn,
  endsOn: c.endsOn ?? '',
  copay: c.copayCents == null ? '' : amountText(c.copayCents),
  holder: c.holderId ? { id: c.holderId, name: holder } : null,
});

/** As the server takes it. */
export const formOf = ({ holder, ...typed }: PolicyTyped) => ({
  ...typed,
  holderId: typed.relationship === '18' ? null : (holder?.id ?? null),
});

/** A payer found by any of what its card says: name, telephone, address, payer code. */
function PayerField(p: { value: string | null; onChange: (id: string | null) => void }) {
  const { clinic } = useSession();
  const [text, setText] = useState('');
  const chosen = clinic.payers.find((x) => x.id === p.value);
  const about = (x: Schemas['Payer']) => [x.payerCode, telephone(x.telephone), x.address].filter(Boolean).join(' · ');
  if (chosen)
    return (
      <Row>
        <div>
          <Small>Payer</Small>
          <br />
          <strong>{chosen.name}</strong> <Small>{about(chosen)}</Small>
        </div>
        <Button $kind="quiet" onPress={() => p.onChange(null)}>
          Another payer
        </Button>
      </Row>
    );
  return (
    <Finder
      label="Payer"
      name="payerId"
      value={text}
      onChange={setText}
      placeholder="Name, telephone, address or payer code"
      items={findPayers(clinic.payers, text)}
      keyOf={(x) => x.id}
      textOf={(x) => x.name}
      onTake={(x) => {
        setText('');
        p.onChange(x.id);
      }}
      render={(x) => (
        <>
          <strong>{x.name}</strong> <Small>{about(x)}</Small>
        </>
      )}
    />
  );
}

export function PolicyFields({ typed, onChange }: { typed: PolicyTyped; onChange: (typed: PolicyTyped) => void }) {
  const [newHolder, setNewHolder] = useState<string | null>(null);
  const set = (change: Partial<PolicyTyped>) => onChange({ ...typed, ...change });
  return (
    <Stack $gap={4}>
      <PayerField value={typed.payerId} onChange={(payerId) => set({ payerId })} />
      <Columns $min={part.wideField}>
        <Field
          label="Subscriber number"
          name="subscriberNumber"
          value={typed.subscriberNumber}
          onChange={(subscriberNumber) => set({ subscriberNumber })}
        />
        <Field
          name="groupNumber"
          label="Group number"
          value={typed.groupNumber}
          onChange={(groupNumber) => set({ groupNumber })}
        />
        <Pick
          label="Policyholder"
          name="relationship"
          value={typed.relationship}
          onChange={(relationship) => set({ relationship })}
          choices={relations}
        />
        <Pick
          label="Rank"
          name="rank"
          value={typed.rank}
          onChange={(rank) => set({ rank })}
          choices={Object.entries(rankWord).map(([id, label]) => ({ id, label }))}
        />
        <Field name="planName" label="Plan" value={typed.planName} onChange={(planName) => set({ planName })} />
        <Field
          name="startsOn"
          label="In force from"
          value={typed.startsOn}
          onChange={(startsOn) => set({ startsOn })}
          placeholder="start of this year"
        />
        <Field
          name="endsOn"
          label="Until"
          value={typed.endsOn}
          onChange={(endsOn) => set({ endsOn })}
          placeholder="open"
        />
        <Field name="copay" label="Copay" value={typed.copay} onChange={(copay) => set({ copay })} />
      </Columns>
      {typed.relationship !== '18' &&
        (typed.holder ? (
          <Row>
            <p>Held by {typed.holder.name}</p>
            <Button $kind="quiet" onPress={() => set({ holder: null })}>
              Somebody else
            </Button>
          </Row>
        ) : newHolder === null ? (
          <FindPerson
            label="Find the policyholder"
            onTake={({ id, name }) => set({ holder: { id, name } })}
            onNew={setNewHolder}
          />
        ) : (
          <NewParty
            as="Policyholder"
            typed={newHolder}
            onMade={(made) => set({ holder: { id: made.id, name: `${made.lastName}, ${made.firstName}` } })}
            onBack={() => setNewHolder(null)}
          />
        ))}
    </Stack>
  );
}
