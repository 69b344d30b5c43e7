/** The sheet of a day: of each visit what is charged, what is missing, and what differs from what is documented. */

import { Unanswered, unanswered } from '../../ui/Unanswered';
import { useState } from 'react';
import { Link } from 'react-router';
import { type Schemas, useLook } from '../../api/client';
import { useWordOf } from '../../app/choices';
import { useSession } from '../../app/session';
import { dollars, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Mono, Row, Scroller, Small, Spread, Stack, Table, Tag, type Tone } from '../../ui/layout';
import { sheetOfDay } from './queries';

type Stand = Schemas['ChargeStand'];

const tone: Record<Stand, Tone> = {
  unsigned: 'plain',
  nothing: 'coral',
  stopped: 'brass',
  ready: 'tide',
  done: 'kelp',
};
const shape: Record<Stand, string> = { unsigned: '…', nothing: '○', stopped: '△', ready: '→', done: '✓' };

/** What is put right first stands first. */
const order: Stand[] = ['nothing', 'stopped', 'ready', 'unsigned', 'done'];

const step = (day: string, by: number) => {
  const at = new Date(`${day}T12:00:00Z`);
  at.setUTCDate(at.getUTCDate() + by);
  return at.toISOString().slice(0, 10);
};

export function SheetOfDay() {
  const { clinic } = useSession();
  const identity = useIdentity();
  const times = useTimes();
  const word = useWordOf('chargeStands');
  const [day, setDay] = useState('');
  const look = useLook(sheetOfDay(day));
  if (!look.data || unanswered(look)) return <Unanswered look={look} />;
  const sheet = look.data;
  const rows = [...sheet.rows].sort((a, b) => order.indexOf(a.stand) - order.indexOf(b.stand));
  const name = (id: string) => clinic.staff.find((s) => s.id === id)?.name ?? '';
  return (
    <Stack>
      <Row>
        <Button aria-label="The day before" onPress={() => setDay(step(sheet.day, -1))}>
          ‹
        </Button>
        <h2 data-sheet-day={sheet.day}>{times.day(sheet.day)}</h2>
        <Button aria-label="The day after" onPress={() => setDay(step(sheet.day, 1))}>
          ›
        </Button>
        <Spread />
        <span>
          completed <Mono>{dollars(sheet.completedCents)}</Mono>
        </span>
        <span>
          open <Mono>{dollars(sheet.openCents)}</Mono>
        </span>
      </Row>
      {rows.length === 0 && <Empty>No visit on this day that is charged.</Empty>}
      {rows.length > 0 && (
        <Scroller>
          <Table>
            <thead>
              <tr>
                <th>Patient</th>
                <th>Clinician</th>
                <th>Charges</th>
                <th className="number">Fee</th>
                <th>How it stands</th>
                <th>What is missing, or differs</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.visitId} data-sheet-of={r.person.recordNumber} data-stand={r.stand}>
                  <td>{identity(r.person, '')}</td>
                  <td>{name(r.clinicianId)}</td>
                  <td>
                    <Small>{r.services.join(', ') || 'none'}</Small>
                  </td>
                  <td className="number">{dollars(r.cents)}</td>
                  <td>
                    <Tag $tone={tone[r.stand]}>
                      {shape[r.stand]} {word(r.stand).toLowerCase()}
                    </Tag>
                  </td>
                  <td>
                    <Small>{[...r.missing, r.differs].filter(Boolean).join(' ')}</Small>
                  </td>
                  <td>
                    <Link to={`/visits/${r.visitId}/charges`}>Open</Link>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
    </Stack>
  );
}
