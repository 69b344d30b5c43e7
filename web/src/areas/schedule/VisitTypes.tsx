/** Visit types: length, look, who books them and when; lists without times below. */

import { Form, Refused } from '../../ui/Form';
import { useState } from 'react';
import styled from 'styled-components';
import { api, type Schemas, useDo, useLook } from '../../api/client';
import { useSession } from '../../app/session';
import { Several } from '../../ui/choices';
import { Button, Check, Field, Pick } from '../../ui/controls';
import { Dialog } from '../../ui/Dialog';
import { Columns, Notice, Row, Small, Spread, Tag } from '../../ui/layout';
import { Changeable } from '../house/Changeable';
import { color, edgeWidth, edges, grounds, hair, innerCorner, part, space } from '../../ui/tokens';
import { services as servicesQuery } from '../charges/queries';

type VisitType = Schemas['VisitType'];

/** How a type looks on the board. */
const Sample = styled.span<{ $pattern: string; $ground: string }>`
  display: inline-block;
  min-width: ${part.field};
  padding: ${space(0.5)} ${space(2)};
  border: ${hair};
  border-left: ${edgeWidth} ${(p) => edges[p.$pattern] ?? 'solid'} ${color.indigo};
  border-radius: ${innerCorner};
  background: ${(p) => grounds[p.$ground] ?? color.sheet};
`;

const groundWords: Record<string, string> = { sheet: 'plain' };

export function VisitTypes() {
  const { clinic } = useSession();
  const roles = clinic.looks.bookers;
  const words = (t: VisitType) => roles.filter((r) => (t.bookedBy as string[]).includes(r.id)).map((r) => r.label);
  return (
    <Changeable
      main
      title="Visit types"
      create="New visit type"
      head={
        <>
          <th>On the board</th>
          <th className="number">Minutes</th>
          <th>Opens</th>
          <th>Booked by</th>
          <th>Online</th>
        </>
      }
      items={clinic.visitTypes}
      nameOf={(t) => t.name}
      cells={(t) => (
        <>
          <td>
            <Sample $pattern={t.pattern} $ground={t.ground}>
              {t.glyph} {t.name}
            </Sample>{' '}
            {!t.active && <Tag>not used</Tag>}
          </td>
          <td className="number">{t.minutes}</td>
          <td>{t.releaseDays == null ? 'always' : `${t.releaseDays} days before`}</td>
          <td>
            <Small>{words(t).length === roles.length ? 'everybody who books' : words(t).join(', ')}</Small>
          </td>
          <td>{t.online ? 'yes' : 'no'}</td>
        </>
      )}
      dialog={(old, onClose) => <TypeDialog old={old} onClose={onClose} />}
    />
  );
}

function TypeDialog({ old, onClose }: { old: VisitType | null; onClose: () => void }) {
  const { glyphs, patterns, grounds: tints, bookers } = useSession().clinic.looks;
  const services = useLook(servicesQuery());
  const [name, setName] = useState(old?.name ?? '');
  const [glyph, setGlyph] = useState(old?.glyph ?? glyphs.at(-1) ?? '');
  const [pattern, setPattern] = useState(old?.pattern ?? patterns[0] ?? '');
  const [ground, setGround] = useState(old?.ground ?? tints[0] ?? '');
  const [minutes, setMinutes] = useState(String(old?.minutes ?? 20));
  const [release, setRelease] = useState(old?.releaseDays == null ? '' : String(old.releaseDays));
  const [fromAge, setFromAge] = useState(String(old?.fromAge ?? ''));
  const [toAge, setToAge] = useState(String(old?.toAge ?? ''));
  const [by, setBy] = useState<string[]>(old?.bookedBy ?? bookers.map((r) => r.id));
  const [online, setOnline] = useState(old?.online ?? false);
  const [active, setActive] = useState(old?.active ?? true);
  const [usual, setUsual] = useState<string[]>(old?.services ?? []);
  const { run, busy, refusal } = useDo();
  const save = async () => {
    const body = {
      name,
      glyph,
      pattern,
      ground,
      minutes,
      releaseDays: release,
      fromAge,
      toAge,
      bookedBy: by,
      online,
      active,
      services: usual,
    };
    const done = await run(() =>
      old
        ? api.PUT('/api/visit-types/{id}', { params: { path: { id: old.id } }, body })
        : api.POST('/api/visit-types', { body }),
    );
    if (done) onClose();
  };
  return (
    <Dialog title={old ? `Change ${old.name}` : 'New visit type'} open onClose={onClose} wide>
      <Form refusal={refusal} onSave={() => void save()}>
        <Row>
          <Sample $pattern={pattern} $ground={ground}>
            {glyph} {name || 'Name'}
          </Sample>
          <Small>as it stands on the board</Small>
        </Row>
        <Columns $min={part.field}>
          <Field name="name" label="Name" value={name} onChange={setName} autoFocus />
          <Field name="minutes" label="Minutes" value={minutes} onChange={setMinutes} />
          <Pick
            name="glyph"
            label="Glyph"
            value={glyph}
            onChange={setGlyph}
            choices={glyphs.map((g) => ({ id: g, label: g }))}
          />
          <Pick
            label="Edge"
            value={pattern}
            onChange={setPattern}
            choices={patterns.map((x) => ({ id: x, label: x }))}
          />
          <Pick
            label="Ground"
            value={ground}
            onChange={setGround}
            choices={tints.map((x) => ({ id: x, label: groundWords[x] ?? x }))}
          />
          <Field
            name="releaseDays"
            label="Opens so many days before"
            value={release}
            onChange={setRelease}
            placeholder="always open"
          />
          <Field name="fromAge" label="For ages from" value={fromAge} onChange={setFromAge} placeholder="any age" />
          <Field name="toAge" label="For ages up to" value={toAge} onChange={setToAge} placeholder="any age" />
        </Columns>
        <Several label="Booked by" showLabel choices={bookers} value={by} onChange={setBy} />
        {refusal?.fault('bookedBy') && <Notice $tone="coral">{refusal.fault('bookedBy')}</Notice>}
        <Row>
          <Check label="Patients may book it online" value={online} onChange={setOnline} />
          <Check label="In use" value={active} onChange={setActive} />
        </Row>
        <Several
          label="Usual services, for the share estimate"
          showLabel
          choices={(services.data ?? []).map((s) => ({ id: s.service.code, label: s.service.name }))}
          value={usual}
          onChange={setUsual}
        />
        <Refused />
        <Row>
          <Spread />
          <Button onPress={onClose}>Leave</Button>
          <Button $kind="filled" type="submit" isDisabled={busy}>
            Save the visit type
          </Button>
        </Row>
      </Form>
    </Dialog>
  );
}
