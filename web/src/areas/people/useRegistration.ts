import { useRef, useState } from 'react';
import { api, type Schemas, useDo } from '../../api/client';
import { filled, type PersonForm, type TextField } from './form';

type View = Schemas['PersonView'];

/** The form of one record, saved as one goes; a stale save shows what the other one changed. */
export function useRegistration(view: View) {
  const { person, registration } = view;
  const [form, setForm] = useState<PersonForm>(filled(person, registration));
  const [saved, setSaved] = useState(form);
  const latest = useRef(form);
  const { run, busy, refusal } = useDo();
  const change = (fields: Partial<PersonForm>) => {
    latest.current = { ...latest.current, ...fields };
    setForm(latest.current);
  };
  const dirty = (Object.keys(form) as (keyof PersonForm)[]).some((k) => k !== 'version' && form[k] !== saved[k]);
  const stale = refusal?.is('stale') ? (refusal.problem.current as unknown as Schemas['Person']) : null;
  const save = async (version?: number) => {
    const sent = { ...latest.current, version: version ?? latest.current.version };
    const row = await run(() => api.PUT('/api/people/{id}', { params: { path: { id: person.id } }, body: sent }));
    if (!row) return false;
    // What was typed while it was on its way stays; what the server tidied is taken over.
    const tidy = filled(row, registration);
    const now = latest.current;
    const kept = Object.fromEntries(
      (Object.keys(sent) as (keyof PersonForm)[]).map((k) => [k, now[k] === sent[k] && k in person ? tidy[k] : now[k]]),
    ) as unknown as PersonForm;
    kept.version = row.version;
    latest.current = kept;
    setForm(kept);
    setSaved({ ...sent, ...kept });
    return true;
  };
  return {
    form,
    change,
    text: (field: TextField) => (value: string) => change({ [field]: value }),
    dirty,
    busy,
    refusal,
    stale,
    save,
    takeTheirs: (theirs: Schemas['Person']) => change(filled(theirs, registration)),
  };
}

export type Registering = ReturnType<typeof useRegistration>;
