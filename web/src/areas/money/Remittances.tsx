import { Pages, usePages } from '../../ui/Pages';
import { Unanswered, unanswered } from '../../ui/Unanswered';
import { useRef, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { dollars, plainDate, useBareName, useTimes } from '../../app/words';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Empty, Mono, Notice, Row, Scroller, Sheet, Small, Spread, Stack, Table, Tag } from '../../ui/layout';
import { part, space } from '../../ui/tokens';
import { Letter } from './Letter';
import { Matching } from './Matching';
import { letters, remittances } from './queries';

/** So many come at once. */
const PAGE = 50;

const statusWord: Record<string, string> = {
  '1': 'paid',
  '2': 'paid second',
  '3': 'paid third',
  '4': 'denied',
  '22': 'taken back',
};

/** Letters that nobody has typed off yet. */
function LettersWaiting() {
  const times = useTimes();
  const look = useLook(letters());
  return look.data?.map((l) => (
    <Notice key={l.id} $tone="brass" data-letter={l.documentId}>
      <Row>
        <span>
          {l.sentence} <Small>{times.full(l.at)}</Small>
        </span>
        <Spread />
        <Link to={`/billing?tab=remittances&letter=${l.documentId}`}>Enter it</Link>
      </Row>
    </Notice>
  ));
}

/** Remittances come in by themselves, by upload, or on paper; each is posted once. */
export function Remittances() {
  const [params] = useSearchParams();
  const letter = params.get('letter');
  return letter ? <Letter key={letter} document={letter} /> : <RemittancesList />;
}

function RemittancesList() {
  const { clinic } = useSession();
  const [typed, setTyped] = useState({ q: '', from: '', to: '' });
  const [sought, setSought] = useState({ ...typed, payerCode: '', waiting: false });
  const pages = usePages(JSON.stringify(sought));
  const look = useLook(remittances(sought, pages.after));
  const leave = () => setSought({ ...sought, ...typed });
  const payers = [{ id: '', label: 'Every payer' }, ...clinic.payers.map((p) => ({ id: p.payerCode, label: p.name }))];
  const any = sought.q || sought.from || sought.to || sought.payerCode || sought.waiting;
  const { run, busy, refusal } = useDo();
  const [answer, setAnswer] = useState<Schemas['UploadAnswer'] | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const scan = useRef<HTMLInputElement>(null);
  const keepScan = async (file: File) => {
    const headers = { 'content-type': 'application/octet-stream' };
    const id = await run(() =>
      api.POST('/api/letters', {
        body: file as unknown as string,
        bodySerializer: (sent) => sent as unknown as Blob,
        headers,
      }),
    );
    if (id) navigate(`/billing?tab=remittances&letter=${id}`);
  };
  const upload = async (file: File) => {
    const body = await file.text();
    const done = await run(() =>
      api.POST('/api/remittances', { body, bodySerializer: (text) => text, headers: { 'content-type': 'text/plain' } }),
    );
    if (done) setAnswer(done);
  };
  return (
    <Stack>
      <Row>
        <Small>
          Files from the clearing house are posted as they come. One that does not balance is refused whole.
        </Small>
        <Spread />
        <input
          ref={input}
          type="file"
          hidden
          aria-label="Remittance file"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) void upload(file);
            event.target.value = '';
          }}
        />
        <input
          ref={scan}
          type="file"
          hidden
          accept="application/pdf,image/png,image/jpeg"
          aria-label="Scan of a letter"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) void keepScan(file);
            event.target.value = '';
          }}
        />
        <Button isDisabled={busy} onPress={() => scan.current?.click()}>
          Enter a letter
        </Button>
        <Button isDisabled={busy} onPress={() => input.current?.click()}>
          Upload an 835
        </Button>
      </Row>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          leave();
        }}
        onBlur={leave}
      >
        <Row $align="end">
          <div style={{ width: part.field }}>
            <Field
              label="Trace, claim or patient"
              value={typed.q}
              onChange={(q) => setTyped({ ...typed, q })}
              placeholder="begins with"
            />
          </div>
          <div style={{ width: space(30) }}>
            <Field label="Paid from" value={typed.from} onChange={(from) => setTyped({ ...typed, from })} />
          </div>
          <div style={{ width: space(30) }}>
            <Field label="To" value={typed.to} onChange={(to) => setTyped({ ...typed, to })} />
          </div>
          <Pick
            label="Payer"
            value={sought.payerCode}
            onChange={(payerCode) => setSought({ ...sought, payerCode })}
            choices={payers}
          />
          <Check
            label="Only what waits"
            value={sought.waiting}
            onChange={(waiting) => setSought({ ...sought, waiting })}
          />
          {/* Enter in a field looks for it. */}
          <button type="submit" hidden tabIndex={-1} aria-hidden="true" />
        </Row>
      </form>
      <LettersWaiting />
      {unanswered(look) && <Unanswered look={look} />}
      {answer && (
        <Notice $tone={answer.posted > 0 ? 'kelp' : 'tide'}>
          {answer.posted > 0
            ? `Posted: ${answer.matched} claims matched, ${answer.unmatched} waiting.`
            : 'This remittance was posted before; nothing was posted again.'}
        </Notice>
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {look.data?.length === 0 && (
        <Empty>
          {any ? 'No remittance is like it.' : 'No remittance yet. They arrive by themselves after a batch was taken.'}
        </Empty>
      )}
      {look.data?.map((view, n) => (
        <Remitted key={view.remittance.id} view={view} first={n < 3 && pages.number === 1} />
      ))}
      <Pages
        pages={pages}
        last={look.data?.length === PAGE ? look.data.at(-1)?.remittance.id : undefined}
        busy={!look.data}
      />
    </Stack>
  );
}

/** One remittance. The newest stand open, and those that wait for somebody; the others say what is in them and open. */
function Remitted({
  view: { remittance: r, claims, letter, cameOn },
  first,
}: {
  view: Schemas['RemittanceView'];
  first: boolean;
}) {
  const denied = claims.filter((c) => c.status === '4').length;
  const unmatched = claims.filter((c) => !c.claimId).length;
  const [open, setOpen] = useState(first || unmatched > 0);
  const holds = [
    claims.length === 1 ? '1 claim' : `${claims.length} claims`,
    denied > 0 && `${denied} denied`,
    unmatched > 0 && `${unmatched} matching nothing`,
  ].filter(Boolean);
  return (
    <Sheet data-remittance={r.trace}>
      <Row>
        <strong>{r.payerName}</strong>
        <Mono>{dollars(r.amountCents)}</Mono>
        <Small>
          {plainDate(r.paidOn)}, {r.method}, trace <Mono>{r.trace}</Mono>
          {cameOn.length > 0 && `, in the bank ${cameOn.map(plainDate).join(' and ')}`}
        </Small>
        <Spread />
        <Button $kind="quiet" aria-expanded={open} onPress={() => setOpen(!open)}>
          {holds.join(', ')}
        </Button>
        <a href={`/api/files/${r.documentId}`}>{letter ? 'Letter' : '835'}</a>
      </Row>
      {open && (
        <Scroller>
          <Table>
            <tbody>
              {claims.map((c) => (
                <RemittedLine key={c.id} claim={c} />
              ))}
            </tbody>
          </Table>
        </Scroller>
      )}
    </Sheet>
  );
}

function RemittedLine({ claim: c }: { claim: Schemas['DecisionView'] }) {
  const [matching, setMatching] = useState(false);
  const bareName = useBareName();
  return (
    <tr>
      <td>
        {c.claimId ? (
          <Link to={`/billing?claim=${c.claimId}`}>
            <Mono>{c.claimNumber}</Mono>
          </Link>
        ) : (
          <Mono>{c.claimNumber}</Mono>
        )}
      </td>
      <td>{bareName(c.patientName)}</td>
      <td>
        <Tag $tone={c.status === '4' ? 'coral' : c.status === '22' ? 'brass' : 'kelp'}>
          {statusWord[c.status] ?? `status ${c.status}`}
        </Tag>
        {!c.claimId && <Tag $tone="brass">waits</Tag>}
        {c.matchedBy && <Small>matched by {c.matchedBy}</Small>}
      </td>
      <td className="number">{dollars(c.chargedCents)}</td>
      <td className="number">{dollars(c.paidCents)} paid</td>
      <td>
        <Small>{[...c.explanation, ...c.remarks].join(' ')}</Small>
        {!c.claimId && c.decision && (
          <Row>
            <Button onPress={() => setMatching(true)}>Find its claim</Button>
          </Row>
        )}
        {matching && <Matching decision={c} onClose={() => setMatching(false)} />}
      </td>
    </tr>
  );
}
