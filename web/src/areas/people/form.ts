import type { Schemas } from '../../api/client';

export type PersonForm = Schemas['PersonForm'];

export const sexes = [
  { id: 'F', label: 'Female' },
  { id: 'M', label: 'Male' },
  { id: 'U', label: 'Unknown' },
];

export const emptyForm: PersonForm = {
  version: 0,
  notATwin: false,
  firstName: '',
  lastName: '',
  middleName: '',
  preferredName: '',
  formerName: '',
  birthDate: '',
  sex: '',
  phone: '',
  email: '',
  emailDeclined: false,
  addressLine: '',
  addressLine2: '',
  city: '',
  state: '',
  postalCode: '',
  language: '',
  chartAlert: '',
  billingNote: '',
  responsibleId: null,
  usualClinicianId: null,
};

/** A form filled from a record. */
export const filled = (p: Schemas['Person']): PersonForm => ({
  version: p.version,
  notATwin: true,
  firstName: p.firstName,
  lastName: p.lastName,
  middleName: p.middleName,
  preferredName: p.preferredName,
  formerName: p.formerName,
  birthDate: p.birthDate ?? '',
  sex: p.sex ?? '',
  phone: p.phone ?? '',
  email: p.email ?? '',
  emailDeclined: p.emailDeclined,
  addressLine: p.addressLine,
  addressLine2: p.addressLine2,
  city: p.city,
  state: p.state,
  postalCode: p.postalCode,
  language: p.language,
  chartAlert: p.chartAlert,
  billingNote: p.billingNote,
  responsibleId: p.responsibleId ?? null,
  usualClinicianId: p.usualClinicianId ?? null,
});
