/** An answer that came on paper or by telephone: taken down, and then read by whoever ordered. */

import { useState } from 'react';
import { api, useDo } from '../../api/client';
import { Button, Field } from '../../ui/controls';
import { Form, Refused } from '../../ui/Form';
import { Row, Small, Stack } from '../../ui/layout';

/** A file as base64, without what a browser writes before it. */
const asBase64 = (file: File) =>
  new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result).split(',')[1] ?? '');
    reader.onerror = () => reject(new Error('The file cannot be read.'));
    reader.readAsDataURL(file);
  });

export function AnswerCame({ o, close }: { o: { id: string; testName: string }; close: () => void }) {
  const [performer, setPerformer] = useState('');
  const [words, setWords] = useState('');
  const [file, setFile] = useState<File | null>(null);
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const pdf = file ? await asBase64(file) : '';
    const done = await run(() =>
      api.POST('/api/orders/{id}/answer-came', {
        params: { path: { id: o.id } },
        body: { performer, words, pdf },
      }),
    );
    if (done) close();
  };
  return (
    <Form refusal={refusal} onSave={save}>
      <Stack $gap={1}>
        <Field name="performer" label="Who answers" value={performer} onChange={setPerformer} autoFocus />
        <Field name="words" label="What they say" value={words} onChange={setWords} lines={3} />
        <label>
          <Small>The letter as PDF, if there is one</Small>
          <br />
          <input
            type="file"
            accept="application/pdf"
            aria-label="The letter as PDF"
            onChange={(event) => setFile(event.target.files?.[0] ?? null)}
          />
        </label>
        <Refused />
        <Row>
          <Button $kind="quiet" onPress={close}>
            Leave it
          </Button>
          <Button type="submit" isDisabled={busy}>
            To its reader
          </Button>
        </Row>
      </Stack>
    </Form>
  );
}
