/** The past of a person as a line of time: each visit opened in its place, words found in the notes. */

import { useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { type Schemas, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useSession } from '../../app/session';
import { plainDate, useTimes } from '../../app/words';
import { Button, Field } from '../../ui/controls';
import { Empty, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { color, hair, part, phone, size, space, stroke } from '../../ui/tokens';
import { NoteBody } from './NoteBody';
import { chart as chartQuery, inNotes, past } from './queries';

type Visit = Schemas['PastVisit'];

const Line = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  > li {
    display: grid;
    grid-template-columns: ${part.gutter} minmax(0, 1fr);
    gap: ${space(4)};
    padding: ${space(1.5)} 0;
    border-top: ${hair};
  }
  > li > :first-child {
    font-size: ${size.small};
    color: ${color.quiet};
  }
  @media (max-width: ${phone}) {
    > li {
      grid-template-columns: minmax(0, 1fr);
      gap: 0;
    }
  }
`;

const Note = styled.div`
  margin-top: ${space(2)};
  padding-left: ${space(3)};
  border-left: ${stroke.edge} solid ${color.line};
`;

const Mark = styled.mark`
  background: ${color.brassGround};
  color: inherit;
  font-weight: 600;
`;

/** The note of a visit, read where it lies. */
function Opened({ visit }: { visit: string }) {
  const times = useTimes();
  const navigate = useNavigate();
  const look = useLook(chartQuery(visit));
  if (look.error) return <Small role="alert">{look.error.message}</Small>;
  if (!look.data) return null;
  const { signature, struck } = look.data;
  return (
    <Note data-note-of={visit}>
      <Row $gap={2}>
        <Small>
          {look.data.heading}
          {signature && ` · signed by ${signature.signedBy}, ${times.full(signature.signedAt)}`}
          {struck && ` · struck in error: ${struck.reason}`}
        </Small>
        <Spread />
        <Button $kind="quiet" onPress={() => window.open(`/api/visits/${visit}/note-paper`, '_blank')}>
          Print the note
        </Button>
        <Button $kind="quiet" onPress={() => navigate(`/visits/${visit}/sheet`)}>
          To its sheet
        </Button>
      </Row>
      <NoteBody visit={visit} chart={look.data} />
      {look.data.addenda.map((a) => (
        <p key={a.id}>
          <Small>
            Addendum, {a.addedBy}, {times.full(a.addedAt)}:
          </Small>{' '}
          {a.body}
        </p>
      ))}
    </Note>
  );
}

function OneVisit({ visit: v, open, onOpen }: { visit: Visit; open: boolean; onOpen: () => void }) {
  const times = useTimes();
  const kind = useWordOf('visitKinds');
  const { clinic } = useSession();
  const name = clinic.staff.find((s) => s.id === v.clinicianId)?.name;
  const day = times.full(v.startsAt);
  return (
    <li data-past={v.visitId}>
      <div>{day}</div>
      <div>
        <Row $gap={2}>
          <span style={{ minWidth: 0 }}>
            <strong>{v.problems.join('; ') || v.reason}</strong>
            {v.problems.length > 0 && v.reason && <Small> {v.reason}</Small>}
          </span>
          <Spread />
          {v.struck ? <Tag $tone="coral">struck in error</Tag> : !v.signed && <Tag $tone="brass">not signed</Tag>}
          <Button $kind="quiet" aria-expanded={open} aria-label={`${open ? 'Close' : 'Read'} ${day}`} onPress={onOpen}>
            {open ? 'Close' : 'Read'}
          </Button>
        </Row>
        <Small>
          {[
            name,
            v.kind !== 'in_person' && kind(v.kind),
            v.ordered.length > 0 && `ordered ${v.ordered.join(', ')}`,
            v.prescribed.length > 0 && `prescribed ${v.prescribed.join(', ')}`,
          ]
            .filter(Boolean)
            .join(' · ')}
        </Small>
        {open && <Opened visit={v.visitId} />}
      </div>
    </li>
  );
}

function Page(p: { person: string; before?: string; opened: string | null; onOpen: (id: string) => void }) {
  const look = useLook(past(p.person, p.before));
  const [more, setMore] = useState(false);
  if (!look.data) return null;
  const { visits } = look.data;
  const last = visits[visits.length - 1];
  return (
    <>
      {visits.map((v) => (
        <OneVisit key={v.visitId} visit={v} open={p.opened === v.visitId} onOpen={() => p.onOpen(v.visitId)} />
      ))}
      {look.data.more && last && !more && (
        <li>
          <div />
          <Row>
            <Button $kind="quiet" onPress={() => setMore(true)}>
              Earlier visits
            </Button>
          </Row>
        </li>
      )}
      {more && last && <Page {...p} before={last.startsAt} />}
    </>
  );
}

/** Where words were found; each place opens its note. */
function FoundIn(p: { person: string; words: string; opened: string | null; onOpen: (id: string) => void }) {
  const look = useLook(inNotes(p.person, p.words));
  if (!look.data) return null;
  if (look.data.length === 0) return <Empty>No note says this.</Empty>;
  return (
    <Line data-found-in-notes>
      {look.data.map((f, at) => {
        const first = look.data.findIndex((x) => x.visitId === f.visitId) === at;
        return (
          <li key={`${f.visitId} ${f.place} ${at}`}>
            <div>{plainDate(f.day)}</div>
            <div>
              <Row $gap={2}>
                <Small>{f.place}</Small>
                {f.struck && <Tag $tone="coral">struck in error</Tag>}
                <Spread />
                <Button
                  $kind="quiet"
                  aria-expanded={p.opened === f.visitId && first}
                  aria-label={`Read ${plainDate(f.day)}, ${f.place}`}
                  onPress={() => p.onOpen(f.visitId)}
                >
                  Read
                </Button>
              </Row>
              <p>{f.words.map((w, n) => (w.found ? <Mark key={n}>{w.text}</Mark> : <span key={n}>{w.text}</span>))}</p>
              {p.opened === f.visitId && first && <Opened visit={f.visitId} />}
            </div>
          </li>
        );
      })}
    </Line>
  );
}

export function PastOf({ person }: { person: string }) {
  const [words, setWords] = useState('');
  const [opened, setOpened] = useState<string | null>(null);
  const open = (id: string) => setOpened(opened === id ? null : id);
  const typed = words.trim().length > 1;
  return (
    <Stack $gap={2} data-past-of={person}>
      <Row>
        <h3>Past</h3>
        <Spread />
        <div style={{ width: part.wideField }}>
          <Field
            label="Find in the notes"
            hideLabel
            name="in-notes"
            value={words}
            onChange={(next) => {
              setWords(next);
              setOpened(null);
            }}
            placeholder="Find in the notes"
          />
        </div>
      </Row>
      {typed ? (
        <FoundIn person={person} words={words.trim()} opened={opened} onOpen={open} />
      ) : (
        <Line>
          <Page person={person} opened={opened} onOpen={open} />
        </Line>
      )}
    </Stack>
  );
}
