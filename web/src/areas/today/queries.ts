/** What the home of a role asks: it hangs on nearly everything. */

import { api, look } from '../../api/client';

export const today = () =>
  look(
    ['today'],
    [
      { topic: 'visit' },
      { topic: 'person' },
      { topic: 'result' },
      { topic: 'claim' },
      { topic: 'batch' },
      { topic: 'remittance' },
      { topic: 'message' },
      { topic: 'waiting' },
      { topic: 'prices' },
      { topic: 'schedule' },
      { topic: 'till' },
      { topic: 'clinic' },
    ],
    () => api.GET('/api/today'),
  );
