/** What is chosen from again and again: clinicians, sites, visit types in use. */

import type { Schemas } from '../api/client';
import { useSession } from './session';

export function useChoices() {
  const { clinic } = useSession();
  const clinicians = clinic.staff.filter((s) => s.role === 'clinician');
  return {
    clinicians: clinicians.map((s) => ({ id: s.id, label: s.name })),
    /** By last name, where there is little room. */
    lastNames: clinicians.map((s) => ({ id: s.id, label: s.lastName })),
    sites: clinic.sites.map((s) => ({ id: s.id, label: s.name })),
    types: clinic.visitTypes.filter((t) => t.active).map((t) => ({ id: t.id, label: `${t.glyph} ${t.name}` })),
  };
}

const sentence = (label: string) => label.charAt(0).toUpperCase() + label.slice(1);

type Words = Schemas['Words'];
/** Codes of a list to choose from, in the order of the job, each beginning like a sentence. */
export function useWords(list: keyof Words) {
  const { clinic } = useSession();
  return clinic.words[list].map((w) => ({ id: w.id, label: sentence(w.label) }));
}

/** How a code of a list is called within a sentence. */
export function useWordOf(list: keyof Words) {
  const { clinic } = useSession();
  return (code: string) => clinic.words[list].find((w) => w.id === code)?.label ?? code;
}
