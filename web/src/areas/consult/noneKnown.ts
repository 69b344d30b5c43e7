/** That none is known is a statement of its own, and can be taken back. */

import { api, type useDo } from '../../api/client';
import { useUndo } from '../../app/undo';

/** Says that none is known, and offers to take it back. */
export function useNoneKnown(person: string, run: ReturnType<typeof useDo>['run']) {
  const offerUndo = useUndo();
  return async (list: 'allergies' | 'medicines' | 'problems') => {
    const params = { path: { id: person } };
    const back = () => api.DELETE('/api/people/{id}/none-known/{list}', { params: { path: { id: person, list } } });
    if (await run(() => api.POST('/api/people/{id}/none-known', { params, body: { list } })))
      offerUndo(
        { allergies: 'No allergies known.', medicines: 'Takes no medicines.', problems: 'No problems known.' }[list],
        back,
      );
  };
}
