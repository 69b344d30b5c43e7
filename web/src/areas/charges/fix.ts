/** Where what is wrong with a claim is put right. */

import type { Schemas } from '../../api/client';
import { useMay } from '../../app/session';

/** Where a fault is put right, for who may go there. */
export function useFix(person: string, visit: string) {
  const may = useMay();
  return (place: Schemas['FixPlace']): { to: string; word: string } | null => {
    switch (place) {
      case 'registration':
        return may('edit_people') ? { to: `/people/${person}`, word: 'Open registration' } : null;
      case 'coverage':
        return may('edit_coverage') ? { to: `/people/${person}`, word: 'Open coverage' } : null;
      case 'note':
        return may('see_chart') ? { to: `/visits/${visit}/note`, word: 'Open the note' } : null;
      case 'staff':
        return may('manage_staff') ? { to: '/settings?part=staff', word: 'Open staff' } : null;
      case 'clinic':
        return may('set_clinic') ? { to: '/settings?part=building', word: 'Open the clinic' } : null;
      case 'charges':
        return may('see_charges') ? { to: `/visits/${visit}/charges`, word: 'Open the charges' } : null;
    }
  };
}
