import { useState } from 'react';
import { type Schemas, useLook } from '../../api/client';
import { plainDate, sexWord, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Finder } from '../../ui/Finder';
import { Row, Small, Stack } from '../../ui/layout';
import { peopleFound } from './queries';

type Card = Schemas['PersonCard'];

/** The one search for people, wherever somebody is to be found; then, and only then, adding. */
export function FindPerson(p: {
  onTake: (person: Card) => void;
  onNew?: (typed: string) => void;
  /** Offered before anything is typed; Enter takes them. */
  preferred?: Card | undefined;
  label?: string;
}) {
  const [text, setText] = useState('');
  const times = useTimes();
  const identity = useIdentity();
  const look = useLook(peopleFound(text), text.trim().length > 1);
  const hits = text.trim().length > 1 ? (look.data ?? []) : [];
  const before = p.preferred;
  const nobody = look.isSuccess && !look.isFetching && hits.length === 0 && text.trim().length > 1;
  return (
    <Stack>
      <Finder
        label={p.label ?? 'Find the patient'}
        value={text}
        onChange={setText}
        autoFocus
        placeholder="Name, birth date, telephone, record or subscriber number"
        items={hits}
        keyOf={(h) => h.person.id}
        textOf={(h) => h.person.name}
        onTake={(h) => p.onTake(h.person)}
        onNone={nobody && p.onNew ? () => p.onNew?.(text) : undefined}
        {...(before && { onBlank: () => p.onTake(before) })}
        render={({ person, nextVisit, why }) => (
          <>
            <strong>{person.name}</strong>
            {person.preferredName && ` (${person.preferredName})`} <Small>found by {why}</Small>
            <br />
            <Small>
              {[
                person.age,
                sexWord(person.sex),
                plainDate(person.birthDate),
                person.address,
                person.recordNumber,
                nextVisit && `next visit ${times.day(nextVisit)}`,
                person.deceased && 'deceased',
              ]
                .filter(Boolean)
                .join(' · ')}
            </Small>
          </>
        )}
      />
      {before && text === '' && (
        <Row>
          <Button onPress={() => p.onTake(before)}>{identity(before)}, in hand</Button>
          <Small>Enter takes them</Small>
        </Row>
      )}
      {nobody && (
        <p role="status">
          Nobody is found under “{text}”.{p.onNew && ' Enter adds somebody new.'}
        </p>
      )}
      {p.onNew && text.trim().length > 1 && (
        <Row>
          <Button onPress={() => p.onNew?.(text)}>Add somebody new</Button>
        </Row>
      )}
    </Stack>
  );
}
