import { useQueryClient } from '@tanstack/react-query';
import { api, change, type Schemas } from '../../api/client';
import { useDraft } from '../../app/useDraft';
import type { PersonForm, TextField } from './form';

type View = Schemas['PersonView'];
export type Typed = Omit<PersonForm, 'version' | 'notATwin'>;

const heldOf = (form: PersonForm) => {
  const held: PersonForm = { ...form };
  delete held.version;
  delete held.notATwin;
  return { held: held as Typed, version: form.version ?? 0 };
};

/** The form of one record, saved as one goes: only what was changed here is sent, and what others change is taken over. */
export function useRegistration(view: View) {
  const client = useQueryClient();
  const params = { path: { id: view.person.id } };
  const { local, ...draft } = useDraft<Typed>({
    place: `person/${view.person.id}`,
    ...heldOf(view.form),
    save: async (fields, version) =>
      heldOf(await change(client, () => api.PATCH('/api/people/{id}', { params, body: { ...fields, version } }))),
    theirs: (current) => heldOf(current as PersonForm),
  });
  const checkAddress = () =>
    change(client, () => api.POST('/api/people/{id}/address-check', { params })).catch(() => null);
  return {
    ...draft,
    checkAddress,
    form: local,
    text: (field: TextField) => (value: string) => draft.change({ [field]: value }),
  };
}

export type Registering = ReturnType<typeof useRegistration>;
