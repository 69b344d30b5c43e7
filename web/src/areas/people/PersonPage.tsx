import { useEffect } from 'react';
import { useNavigate, useParams } from 'react-router';
import { api, useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { plainDate, sexWord, useIdentity, useTimes } from '../../app/words';
import { Button } from '../../ui/controls';
import { Empty, Head, Mono, Notice, Page, Scroller, Sheet, Small, Table, Tag } from '../../ui/layout';
import { CompactLine } from '../../ui/VisitLine';
import { Coverages } from './Coverages';
import { DetailsForm } from './DetailsForm';

export default function PersonPage() {
  const { id = '' } = useParams();
  const { setInHand, clinic } = useSession();
  const navigate = useNavigate();
  const may = useMay();
  const times = useTimes();
  const identity = useIdentity();
  const path = { params: { path: { id } } };
  const look = useLook(['person', id], () => api.GET('/api/people/{id}', path));
  const visits = useLook(['person-visits', id], () => api.GET('/api/people/{id}/visits', path));
  const coverages = useLook(['coverages', id], () => api.GET('/api/people/{id}/coverages', path));
  const looks = useLook(['looks', id], () => api.GET('/api/people/{id}/looks', path), may('see_audit'));
  useEffect(() => setInHand({ person: id }), [id, setInHand]);
  if (look.error) return <Empty>{look.error.message}</Empty>;
  if (!look.data) return null;
  const { person, card, gaps, responsible } = look.data;
  return (
    <Page>
      <Head>
        <h1>{identity(card)}</h1>
        <p>{[card.age, sexWord(card.sex), plainDate(card.birthDate), card.recordNumber].filter(Boolean).join(' · ')}</p>
      </Head>
      {gaps.length > 0 && (
        <Notice $tone="brass" style={{ marginBottom: 16 }}>
          Registration lacks: {gaps.map((g) => g.word).join(', ')}.
        </Notice>
      )}
      <Sheet>
        <h2>Visits</h2>
        {visits.data?.length === 0 && <Empty>No visit yet. Book one from the schedule or from open times.</Empty>}
        {(visits.data?.length ?? 0) > 0 && (
          <Scroller>
            <Table>
              <tbody>
                {visits.data?.slice(0, 12).map((v) => (
                  <tr key={v.visit.id}>
                    <td>
                      <Mono>
                        {times.full(v.visit.startsAt)} {times.time(v.visit.startsAt)}
                      </Mono>
                    </td>
                    <td>{v.visit.reason}</td>
                    <td className="wide">{clinic.staff.find((s) => s.id === v.visit.clinicianId)?.name}</td>
                    <td>
                      <CompactLine line={v.line} />
                    </td>
                    <td>
                      <Button
                        onPress={() => {
                          setInHand({ visit: v.visit.id });
                          navigate(`/visits/${v.visit.id}/${may('see_chart') ? 'note' : 'check-in'}`);
                        }}
                      >
                        Open
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroller>
        )}
      </Sheet>
      <Sheet>
        <h2>Coverage</h2>
        {coverages.data && <Coverages person={id} views={coverages.data} selfPayAt={person.selfPayToldAt ?? null} />}
      </Sheet>
      {may('edit_people') && (
        <Sheet>
          <h2>Details</h2>
          <DetailsForm key={person.version} person={person} responsible={responsible ?? null} />
        </Sheet>
      )}
      {looks.data && (
        <Sheet>
          <h2>Who looked at this record</h2>
          <Table>
            <tbody>
              {looks.data.slice(0, 30).map((l) => (
                <tr key={l.seq}>
                  <td>
                    <Small>
                      {times.full(l.at)} {times.time(l.at)}
                    </Small>
                  </td>
                  <td>{l.staffName}</td>
                  <td>
                    {l.action} <Tag>{l.entity}</Tag>
                  </td>
                  <td>
                    <Small>{l.detail}</Small>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Sheet>
      )}
    </Page>
  );
}
