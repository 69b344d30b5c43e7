/** What is chosen from again and again: clinicians, sites, visit types in use. */

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
