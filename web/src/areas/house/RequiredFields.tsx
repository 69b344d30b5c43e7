import { Unanswered } from '../../ui/Unanswered';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useMay } from '../../app/session';
import { Check } from '../../ui/controls';
import { Columns, Notice, Sheet, Small, Stack } from '../../ui/layout';
import { part } from '../../ui/tokens';
import { requiredFields } from '../people/queries';

/** What a registration must hold before a visit; holds at once for everybody. */
export function RequiredFields() {
  const may = useMay();
  const look = useLook(requiredFields());
  const { run, refusal } = useDo();
  if (!look.data) return <Unanswered look={look} />;
  const fields = look.data;
  const set = (field: Schemas['RequiredView'], on: boolean) => {
    const wanted = fields.filter((f) => (f.field === field.field ? on : f.required)).map((f) => f.field);
    void run(() => api.PUT('/api/settings/required-fields', { body: { fields: wanted } }));
  };
  const sections = [...new Set(fields.map((f) => f.section))];
  return (
    <Sheet>
      <h2>Required at registration</h2>
      <Stack>
        <Small>
          What is missing stands on the visit line until it is filled. A minor always needs a responsible party.
        </Small>
        {refusal && <Notice $tone="coral">{refusal.message}</Notice>}
        <Columns $min={part.quay}>
          {sections.map((section) => (
            <Stack key={section} $gap={2}>
              <strong>{section}</strong>
              {fields
                .filter((f) => f.section === section)
                .map((f) =>
                  may('set_clinic') ? (
                    <Check key={f.field} label={f.word} value={f.required} onChange={(on) => set(f, on)} />
                  ) : (
                    <span key={f.field}>
                      {f.required ? '✓ ' : '– '}
                      {f.word}
                    </span>
                  ),
                )}
            </Stack>
          ))}
        </Columns>
      </Stack>
    </Sheet>
  );
}
