/** What is said with an order before it is signed: its questions, and for what goes on paper the rest. */

import { useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { useWords } from '../../app/choices';
import { Check, Choose, Field } from '../../ui/controls';
import { Row, Small, Stack } from '../../ui/layout';

type OrderView = Schemas['OrderView'];
type Question = Schemas['OrderQuestionView'];

/** Its questions always; how soon, by whom and what goes with it when all is wanted. */
export function SayMore({ order, all }: { order: OrderView; all: boolean }) {
  const { kind } = order.order;
  if (!all && order.questions.length === 0) return null;
  return (
    <Stack $gap={2} data-say-more>
      {order.questions.map((q) => (
        <Asked key={q.text} order={order} q={q} />
      ))}
      {all && <Requested order={order} onPaper={kind === 'imaging' || kind === 'referral'} />}
    </Stack>
  );
}

function Asked({ order, q }: { order: OrderView; q: Question }) {
  const [typed, setTyped] = useState(q.answer);
  const { run, refusal } = useDo();
  const save = (answer: string) => {
    if (answer === q.answer) return;
    void run(() =>
      api.PUT('/api/orders/{id}/answers', {
        params: { path: { id: order.order.id } },
        body: [{ question: q.text, answer }],
      }),
    );
  };
  const label = `${order.order.testName}: ${q.text}`;
  if (q.choices.length > 0)
    return (
      <div>
        <Small>{q.text}</Small>
        <Choose
          label={label}
          hideLabel
          choices={q.choices.map((c) => ({ id: c, label: c }))}
          value={q.answer}
          onChange={save}
          fault={refusal?.message}
        />
      </div>
    );
  const hints = {
    date: 'a day, or not known',
    moment: '8:00, yesterday 21:30, or not known',
    number: q.unit,
    words: '',
    yes_no: '',
    choice: '',
  };
  return (
    <div>
      <Small>{q.text}</Small>
      <Field
        hideLabel
        label={label}
        value={typed}
        placeholder={hints[q.askedFor]}
        onChange={setTyped}
        onBlur={() => save(typed)}
        fault={refusal?.message}
      />
    </div>
  );
}

function Requested({ order, onPaper }: { order: OrderView; onPaper: boolean }) {
  const row = order.order;
  const [question, setQuestion] = useState(row.request.question);
  const [toWhom, setToWhom] = useState(row.request.toWhom);
  const { run, refusal } = useDo();
  const priorities = useWords('priorities');
  const parts = useWords('enclosed').filter((e) => row.visitId != null || e.id !== 'note');
  const save = (changed: Partial<Schemas['RequestForm']>) =>
    void run(() =>
      api.PUT('/api/orders/{id}/request', {
        params: { path: { id: row.id } },
        body: { priority: row.priority, question, toWhom, enclosed: row.request.enclosed, ...changed },
      }),
    );
  return (
    <>
      {onPaper && (
        <>
          <Small>To whom</Small>
          <Field
            hideLabel
            label={`${row.testName}: to whom`}
            value={toWhom}
            onChange={setToWhom}
            onBlur={() => {
              if (toWhom !== row.request.toWhom) save({});
            }}
          />
          <Small>What is to be found out</Small>
          <Field
            hideLabel
            label={`${row.testName}: what is to be found out`}
            value={question}
            lines={3}
            onChange={setQuestion}
            onBlur={() => {
              if (question !== row.request.question) save({});
            }}
          />
        </>
      )}
      <Choose
        label={`${row.testName}: how soon`}
        hideLabel
        choices={priorities}
        value={row.priority}
        onChange={(p) => save({ priority: p as Schemas['Priority'] })}
      />
      {onPaper && (
        <div>
          <Small>Goes with it</Small>
          <Row $gap={3}>
            {parts.map((e) => {
              const id = e.id as Schemas['Enclosed'];
              const on = row.request.enclosed.includes(id);
              return (
                <Check
                  key={id}
                  label={e.label}
                  value={on}
                  onChange={(wanted) =>
                    save({
                      enclosed: wanted
                        ? [...row.request.enclosed, id]
                        : row.request.enclosed.filter((other) => other !== id),
                    })
                  }
                />
              );
            })}
          </Row>
        </div>
      )}
      {refusal && <Small role="alert">{refusal.message}</Small>}
    </>
  );
}
