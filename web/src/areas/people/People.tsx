import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { useKeys } from '../../app/keys';
import { useMay, useSession } from '../../app/session';
import { Dialog } from '../../ui/Dialog';
import { Head, Page } from '../../ui/layout';
import { FindPerson } from './FindPerson';
import { QuickAdd } from './QuickAdd';

/** Find first, then add. */
export default function People() {
  const navigate = useNavigate();
  const may = useMay();
  const { setInHand } = useSession();
  const [params, setParams] = useSearchParams();
  const [typed, setTyped] = useState('');
  const adding = params.get('new') !== null && may('edit_people');
  const open = (id: string) => {
    setInHand({ person: id });
    navigate(`/people/${id}`);
  };
  // Whoever was just added is registered further at once; the first gap has the focus.
  const register = (id: string) => {
    setInHand({ person: id });
    navigate(`/people/${id}?register=1`);
  };
  const add = (text: string) => {
    setTyped(text);
    setParams({ new: '1' });
  };
  useKeys({ n: () => add('') });
  return (
    <Page>
      <Head>
        <h1>People</h1>
        <p>Three letters of each name and a birth year are enough</p>
      </Head>
      <FindPerson label="Find a person" onTake={(p) => open(p.id)} {...(may('edit_people') && { onNew: add })} />
      <Dialog title="Add somebody new" open={adding} onClose={() => setParams({})}>
        <QuickAdd typed={typed} onDone={(p) => register(p.id)} onBack={() => setParams({})} />
      </Dialog>
    </Page>
  );
}
