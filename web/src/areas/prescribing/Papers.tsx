/** Papers of prescriptions: the prescription itself, a leaflet, and the list of medicines for the patient. */

import { Menu } from '../../ui/choices';

const open = (path: string) => () => window.open(path, '_blank');

export const PapersOf = ({ id, medicine }: { id: string; medicine: string }) => (
  <Menu
    label={`Papers of ${medicine}`}
    short
    items={[
      { id: 'prescription', label: 'Print the prescription', onChoose: open(`/api/prescriptions/${id}/paper`) },
      { id: 'leaflet', label: 'Print the leaflet', onChoose: open(`/api/prescriptions/${id}/leaflet`) },
      {
        id: 'large',
        label: 'Print the leaflet in large type',
        onChoose: open(`/api/prescriptions/${id}/leaflet?large=true`),
      },
    ]}
  />
);

/** As large as the person's age asks for, or in large type at any age. */
export const MedicinesPaper = ({ person }: { person: string }) => (
  <Menu
    label="List of medicines for the patient"
    inline
    items={[
      { id: 'usual', label: 'Print it', onChoose: open(`/api/people/${person}/medicines-paper`) },
      {
        id: 'large',
        label: 'Print it in large type',
        onChoose: open(`/api/people/${person}/medicines-paper?large=true`),
      },
    ]}
  />
);
