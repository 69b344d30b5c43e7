import { X } from 'lucide-react';
import { useState } from 'react';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { Button, Finder } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Mono, Notice, Row, Small, Spread, Stack, Tag } from '../../ui/layout';
import { icon } from '../../ui/tokens';
import { codes as codesFound } from '../../app/queries';

type Hit = Schemas['CodeHit'];

/** The diagnoses of a visit in their order; a code that cannot be billed says what is missing. */
export function Diagnoses(p: { visit: string; diagnoses: Schemas['VisitDiagnosis'][]; fixed: boolean }) {
  const [text, setText] = useState('');
  const [choosing, setChoosing] = useState<Hit | null>(null);
  const [said, setSaid] = useState<Schemas['DiagnosesAnswer'] | null>(null);
  const { run, busy, refusal } = useDo();
  const codes = p.diagnoses.map((d) => d.code);
  const found = useLook(codesFound(text), text.trim().length > 1);
  const set = async (wanted: string[]) => {
    const answer = await run(() =>
      api.PUT('/api/visits/{id}/diagnoses', { params: { path: { id: p.visit } }, body: { codes: wanted } }),
    );
    if (answer) setSaid(answer);
  };
  const takeHit = (hit: Hit) => {
    if (hit.seventh.length > 0) {
      setChoosing(hit);
    } else if (hit.missing) {
      // Too general: the search goes on among the codes below it.
      setText(`${hit.code}.`);
    } else {
      setText('');
      void set([...codes, hit.code]);
    }
  };
  const moved = (from: number, to: number) => {
    const next = [...codes];
    const [code] = next.splice(from, 1);
    if (code) next.splice(to, 0, code);
    void set(next);
  };
  return (
    <Stack>
      {p.diagnoses.map((d, i) => (
        <Row key={d.code} data-diagnosis={d.code} style={{ flexWrap: 'nowrap' }}>
          <Tag>{d.position}</Tag>
          <Mono>{d.code}</Mono>
          <span style={{ flex: 1, minWidth: 0 }}>{d.title}</span>
          {!p.fixed && (
            <>
              {i > 0 && (
                <Button $kind="quiet" aria-label={`${d.code} up`} onPress={() => moved(i, i - 1)} isDisabled={busy}>
                  ↑
                </Button>
              )}
              <Button
                $kind="quiet"
                aria-label={`Remove ${d.code}`}
                onPress={() => void set(codes.filter((c) => c !== d.code))}
                isDisabled={busy}
              >
                <X size={icon.small} aria-hidden />
              </Button>
            </>
          )}
        </Row>
      ))}
      {!p.fixed && (
        <Finder
          label="Add a diagnosis"
          value={text}
          onChange={setText}
          items={text.trim().length > 1 ? (found.data ?? []) : []}
          keyOf={(h) => h.code}
          textOf={(h) => h.title}
          placeholder="Words in any order, or a piece of a code"
          onTake={takeHit}
          render={(h) => (
            <Row $gap={2}>
              <Mono>{h.code}</Mono>
              <span style={{ flex: 1, whiteSpace: 'normal' }}>
                {h.title}
                {h.foundBy && <Small> · {h.foundBy}</Small>}
              </span>
              {h.missing && <Tag $tone="brass">{h.seventh.length > 0 ? 'needs a 7th character' : 'too general'}</Tag>}
            </Row>
          )}
        />
      )}
      {refusal && (
        <Notice $tone="coral" role="alert">
          {refusal.message}
        </Notice>
      )}
      {said?.stops.map((s) => (
        <Notice key={s} $tone="coral">
          {s}
        </Notice>
      ))}
      {said?.advice.slice(0, 3).map((s) => (
        <Small key={s}>{s}</Small>
      ))}
      {choosing && (
        <Dialog title={`${choosing.code}: which one?`} open onClose={() => setChoosing(null)}>
          <Stack>
            {choosing.seventh.map((s) => (
              <Button
                key={s.code}
                onPress={() => {
                  setChoosing(null);
                  setText('');
                  void set([...codes, s.code]);
                }}
              >
                <Mono>{s.code}</Mono> {s.meaning}
                <Spread />
              </Button>
            ))}
          </Stack>
        </Dialog>
      )}
    </Stack>
  );
}
