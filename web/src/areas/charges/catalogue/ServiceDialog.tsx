/** One service of the catalogue: what it is called, and what a claim for it wants. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../../api/client';
import { Button, Check, Field } from '../../../ui/controls';
import { Dialog } from '../../../ui/Dialog';
import { Form, Refused } from '../../../ui/Form';
import { Columns, Row, Small, Spread } from '../../../ui/layout';
import { part } from '../../../ui/tokens';

/** The fields besides the code, in the order in which a manager thinks of them. */
const fields: { name: string; label: string; hint?: string; placeholder?: string }[] = [
  { name: 'name', label: 'Name' },
  { name: 'externalCode', label: 'Billing code', hint: 'What payers call it; without one it cannot be claimed.' },
  { name: 'serviceType', label: 'Service type', hint: 'By which plans say what they cover.', placeholder: '98' },
  { name: 'level', label: 'Level of a visit', hint: '2 to 5, where it is one.' },
  { name: 'newPatient', label: 'For a new patient', hint: 'Of a level: yes or no.' },
  { name: 'modifiers', label: 'Modifiers it begins with', placeholder: '26 LT' },
  { name: 'units', label: 'Units it begins with', placeholder: '1' },
  { name: 'mostUnits', label: 'Most units a visit' },
  { name: 'needs', label: 'Needs', hint: 'supervising, referring, authorisation, side' },
  { name: 'notWith', label: 'Not charged beside', hint: 'Codes of other services.' },
  { name: 'diagnoses', label: 'Usual diagnoses', hint: 'Codes, or how they begin.' },
  {
    name: 'done',
    label: 'Charged by itself when',
    hint: 'Codes of what is ordered and done here; @draw for a blood draw, @flu for that vaccine, @giving-flu for giving it, @giving and @giving-further for giving any.',
  },
  { name: 'place', label: 'Place of service', hint: 'Only where it is not the site’s own.' },
  { name: 'startsOn', label: 'First day', placeholder: '1/1/2027' },
  { name: 'endsOn', label: 'Last day' },
];

export function ServiceDialog({ row, onClose }: { row: Schemas['CatalogueRow'] | null; onClose: () => void }) {
  const [code, setCode] = useState(row?.service.code ?? '');
  const [typed, setTyped] = useState<Record<string, string>>(row?.typed ?? {});
  const { run, busy, refusal } = useDo();
  const set = (name: string) => (value: string) => setTyped((now) => ({ ...now, [name]: value }));
  const save = async () => {
    const params = { path: { code: code.trim() || '-' }, query: row ? {} : { new: true } };
    if (await run(() => api.PUT('/api/catalogue/services/{code}', { params, body: typed }))) onClose();
  };
  return (
    <Dialog title={row ? row.service.name : 'A new service'} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void save()}>
        {row ? (
          <Small>Code {row.service.code}. What was charged already stays as it was.</Small>
        ) : (
          <Field
            name="code"
            label="Code"
            hint="The clinic’s own, for ever."
            value={code}
            onChange={setCode}
            autoFocus
          />
        )}
        <Columns $min={part.field}>
          {fields.map((f, n) => (
            <Field
              key={f.name}
              name={f.name}
              label={f.label}
              value={typed[f.name] ?? ''}
              onChange={set(f.name)}
              autoFocus={Boolean(row) && n === 0}
              {...(f.hint ? { hint: f.hint } : {})}
              {...(f.placeholder ? { placeholder: f.placeholder } : {})}
            />
          ))}
        </Columns>
        <Check
          label="A procedure: beside it a visit wants to be told as one of its own"
          value={typed.procedure === 'yes'}
          onChange={(on) => set('procedure')(on ? 'yes' : '')}
        />
        <Refused />
        <Row>
          <Spread />
          <Button $kind="filled" type="submit" isDisabled={busy}>
            {row ? 'Save' : 'Add the service'}
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
