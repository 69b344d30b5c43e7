/** What a claim tells of a visit besides its lines: the accident, since when, who supervised and who referred. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useWords } from '../../app/choices';
import { useMay } from '../../app/session';
import { plainDate } from '../../app/words';
import { Button, Choose, Field } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Row, Small, Spread, Stack } from '../../ui/layout';
import { Referrals } from '../coverage/Referrals';
import { forClaim } from './queries';

type Said = Schemas['ForClaimView'];

function AccidentDialog({ visit, said, onClose }: { visit: string; said: Said; onClose: () => void }) {
  const a = said.accident;
  const [date, setDate] = useState(said.accidentDate ?? '');
  const [cause, setCause] = useState<string>(a?.cause ?? 'EM');
  const [state, setState] = useState(a?.state ?? '');
  const [number, setNumber] = useState(a?.number ?? '');
  const [employer, setEmployer] = useState(a?.employer ?? '');
  const [line, setLine] = useState(a?.employerLine ?? '');
  const [city, setCity] = useState(a?.employerCity ?? '');
  const [inState, setInState] = useState(a?.employerState ?? '');
  const [postalCode, setPostalCode] = useState(a?.employerPostalCode ?? '');
  const { run, busy, refusal } = useDo();
  const causes = useWords('accidentCauses');
  const save = async () => {
    const body = {
      date,
      cause: cause as Schemas['AccidentForm']['cause'],
      state: cause === 'AA' ? state : '',
      number,
      employer: cause === 'EM' ? employer : '',
      employerLine: cause === 'EM' ? line : '',
      employerCity: cause === 'EM' ? city : '',
      employerState: cause === 'EM' ? inState : '',
      employerPostalCode: cause === 'EM' ? postalCode : '',
    };
    if (await run(() => api.PUT('/api/visits/{id}/accident', { params: { path: { id: visit } }, body }))) onClose();
  };
  return (
    <Dialog title="Accident" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Field
          name="date"
          label="Date of the accident"
          value={date}
          onChange={setDate}
          placeholder="2 nov, or empty for no accident"
          autoFocus
        />
        <Choose label="What happened" value={cause} onChange={setCause} choices={causes} />
        {cause === 'AA' && (
          <Field name="state" label="State where it happened" value={state} onChange={setState} placeholder="ME" />
        )}
        <Field
          name="number"
          label="The payer's number of it"
          value={number}
          onChange={setNumber}
          placeholder="as its letter says it"
        />
        {cause === 'EM' && (
          <>
            <Field name="employer" label="Employer" value={employer} onChange={setEmployer} />
            <Field name="employerLine" label="Employer's address" value={line} onChange={setLine} />
            <Row $gap={2}>
              <Field name="employerCity" label="City" value={city} onChange={setCity} />
              <Field name="employerState" label="State" value={inState} onChange={setInState} />
              <Field name="employerPostalCode" label="Postal code" value={postalCode} onChange={setPostalCode} />
            </Row>
          </>
        )}
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Save accident
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

function MoreDialog({ visit, said, onClose }: { visit: string; said: Said; onClose: () => void }) {
  const s = said.said;
  const [onset, setOnset] = useState(s?.onset ?? '');
  const [lastSeen, setLastSeen] = useState(s?.lastSeen ?? '');
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = { onset, lastSeen };
    if (await run(() => api.PUT('/api/visits/{id}/for-claim', { params: { path: { id: visit } }, body }))) onClose();
  };
  return (
    <Dialog title="Since when" open onClose={onClose}>
      <Form refusal={refusal} onSave={() => void save()}>
        <Field name="onset" label="Ill since" value={onset} onChange={setOnset} placeholder="12 oct" autoFocus />
        <Field name="lastSeen" label="Last seen for it" value={lastSeen} onChange={setLastSeen} />
        <Refused />
        <Row>
          <Spread />
          <Button type="submit" $kind="filled" isDisabled={busy}>
            Save
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}

/** In a line what is said, with a way to say it. */
export function ForClaim({ visit, person, open }: { visit: string; person: string; open: boolean }) {
  const may = useMay();
  const look = useLook(forClaim(visit));
  const causes = useWords('accidentCauses');
  const [dialog, setDialog] = useState<'accident' | 'more' | 'referral' | null>(null);
  const { run, busy } = useDo();
  const said = look.data;
  if (!said) return null;
  const a = said.accident;
  const day = said.accidentDate;
  const cause = causes.find((c) => c.id === a?.cause)?.label ?? '';
  const r = said.referral;
  const words = [
    day && `Accident${cause ? ` ${cause.toLowerCase()}` : ''} on ${plainDate(day)}`,
    a?.employer && `employer ${a.employer}`,
    a?.number && `the payer's number ${a.number}`,
    said.said?.onset && `ill since ${plainDate(said.said.onset)}`,
    said.said?.lastSeen && `last seen ${plainDate(said.said.lastSeen)}`,
    r &&
      `referred by ${`${r.fromFirst} ${r.fromLast}`.trim() || 'nobody by name'}${r.number && `, number ${r.number}`}`,
    said.supervising && `supervised by ${said.supervising}`,
  ]
    .filter(Boolean)
    .join(', ');
  return (
    <Stack $gap={2}>
      <Row>
        <Small data-for-claim>
          Seen by {said.rendering}.{' '}
          {words ? `${words[0]?.toUpperCase()}${words.slice(1)}.` : 'No accident; nothing more is said.'}
        </Small>
        <Spread />
        {open && may('edit_coverage') && <Button onPress={() => setDialog('accident')}>Accident</Button>}
        {open && <Button onPress={() => setDialog('referral')}>Referral</Button>}
        {open && may('edit_charges') && <Button onPress={() => setDialog('more')}>Since when</Button>}
      </Row>
      {(said.said?.unrelated ?? []).map((pair) => (
        <Row key={pair} data-unrelated={pair}>
          <Small>{pair.replace('+', ' and ')} are unrelated, as the note says.</Small>
          {open && may('edit_charges') && (
            <Button
              $kind="quiet"
              isDisabled={busy}
              onPress={() =>
                void run(() =>
                  api.PUT('/api/visits/{id}/unrelated', {
                    params: { path: { id: visit } },
                    body: { pair, unrelated: false },
                  }),
                )
              }
            >
              Take back
            </Button>
          )}
        </Row>
      ))}
      {dialog === 'accident' && <AccidentDialog visit={visit} said={said} onClose={() => setDialog(null)} />}
      {dialog === 'referral' && (
        <Dialog title="Which referral the visit is for" open onClose={() => setDialog(null)} wide light>
          <Referrals person={person} visit={visit} />
        </Dialog>
      )}
      {dialog === 'more' && <MoreDialog visit={visit} said={said} onClose={() => setDialog(null)} />}
    </Stack>
  );
}
