/** Days as people type them, read back in words. */

import { useLook } from '../api/client';
import { Field } from '../ui/controls';
import { typedDate } from './queries';

/** What a typed text means: the day, its words, or what is wrong with it. While it is being read, none of them. */
export function useTypedDay(text: string) {
  const look = useLook(typedDate(text), text.trim().length > 1);
  return { day: look.data?.date, words: look.data?.words ?? '', fault: look.error?.fault('date') };
}

/** A field for a day; `read` is what useTypedDay says of its text. */
export function DayField(p: {
  label: string;
  value: string;
  onChange: (text: string) => void;
  read: ReturnType<typeof useTypedDay>;
  autoFocus?: boolean;
  name?: string;
}) {
  const { read, ...field } = p;
  return <Field {...field} fault={read.fault} hint={read.words} placeholder="fri, +2w, 4 mar" />;
}
