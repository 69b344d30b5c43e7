/** What the clinic decided about patients' money: ages, statements, small balances, bad debts, how to pay. */

import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { amountText } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Columns, Row, Sheet, Small, Spread } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { Unanswered } from '../../ui/Unanswered';
import { moneyRules } from '../money/queries';

export function MoneyRules() {
  const look = useLook(moneyRules());
  return look.data ? <Rules rules={look.data} /> : <Unanswered look={look} />;
}

function Rules({ rules: r }: { rules: Schemas['MoneyRules'] }) {
  const may = useMay();
  const { run, busy, refusal } = useDo();
  const [saved, setSaved] = useState(false);
  const [form, setForm] = useState({
    ageBounds: r.ageBounds.join(', '),
    statementDays: String(r.statementDays),
    statementLeast: amountText(r.statementLeastCents),
    smallBalance: amountText(r.smallBalanceCents),
    badDebtStatements: String(r.badDebtStatements),
    badDebtDays: String(r.badDebtDays),
    howToPay: r.howToPay,
  });
  const field = (name: keyof typeof form, label: string) => (
    <Field
      name={name}
      label={label}
      value={form[name]}
      onChange={(value) => {
        setSaved(false);
        setForm({ ...form, [name]: value });
      }}
      lines={name === 'howToPay' ? 4 : 0}
    />
  );
  const save = async () => {
    if (await run(() => api.PUT('/api/settings/money', { body: form }))) setSaved(true);
  };
  return (
    <Sheet>
      <h2>Patients’ money</h2>
      <Form refusal={refusal} onSave={() => void save()}>
        <Columns $min={part.wideField}>
          {field('ageBounds', 'Ages of debts, in days')}
          {field('statementDays', 'Days between two statements')}
          {field('statementLeast', 'No statement below')}
          {field('smallBalance', 'A household’s debt is small up to')}
          {field('badDebtStatements', 'Bad after so many statements')}
          {field('badDebtDays', 'and so many days since the first')}
        </Columns>
        {field('howToPay', 'How to pay, on every statement; empty says: at the desk, by cheque or by card')}
        <Refused />
        {may('set_clinic') && (
          <Row>
            {saved && <Small role="status">Saved.</Small>}
            <Spread />
            <Button type="submit" isDisabled={busy}>
              Save the rules
            </Button>
          </Row>
        )}
      </Form>
    </Sheet>
  );
}
