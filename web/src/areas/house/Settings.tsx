/** What a manager sets: registration, working time, visit types, services; the diagnosis release; the theme. */

import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { useLook } from '../../api/client';
import { useMay, useSession } from '../../app/session';
import { chooseTheme, chosenTheme, type Theme } from '../../app/theme';
import { Choose, Tabs } from '../../ui/controls';
import { BookingRules } from '../schedule/BookingRules';
import { Catalogue } from '../charges/catalogue/Catalogue';
import { CheckInSettings } from '../arrival/CheckInSettings';
import { House } from './House';
import { Import } from './Import';
import { MoneyRules } from './MoneyRules';
import { Payers } from './Payers';
import { RequiredFields } from './RequiredFields';
import { Staff } from './Staff';
import { UsualDays } from './UsualDays';
import { Overridden } from '../prescribing/Overridden';
import { Texts } from '../consult/Texts';
import { UntimedLists } from '../schedule/UntimedLists';
import { VisitTypes } from '../schedule/VisitTypes';
import { WorkingTime } from '../schedule/WorkingTime';
import { Head, Mono, Notice, Page, Row, Sheet, Small, Spread, Stack, Tag } from '../../ui/layout';
import { code as codeQuery } from '../../app/queries';

function Code({ code }: { code: string }) {
  const look = useLook(codeQuery(code));
  if (look.error) return <Notice $tone="brass">{look.error.message}</Notice>;
  const c = look.data;
  if (!c) return null;
  const list = (title: string, items: string[]) =>
    items.length > 0 && (
      <div>
        <Small>{title}</Small>
        {items.slice(0, 12).map((i) => (
          <p key={i}>{i}</p>
        ))}
      </div>
    );
  return (
    <Sheet>
      <Stack>
        <Row>
          <h2>
            <Mono>{c.code}</Mono> {c.title}
          </h2>
        </Row>
        {c.missing ? <Notice $tone="brass">{c.missing}</Notice> : <Tag $tone="kelp">may be billed</Tag>}
        {list('Includes', c.inclusions)}
        {list('Cannot stand together with', c.excludes1)}
        {list('Not included here', c.excludes2)}
        {list('Code first', c.codeFirst)}
        {list('Use additional', c.useAdditional)}
        {list('Below it', c.below)}
      </Stack>
    </Sheet>
  );
}

export default function Settings() {
  const { clinic } = useSession();
  const may = useMay();
  const [params, setParams] = useSearchParams();
  const [theme, setTheme] = useState(chosenTheme);
  const code = params.get('code');
  return (
    <Page>
      <Head>
        <h1>{code ? 'Diagnosis' : 'Settings'}</h1>
        <p>
          {clinic.name}; ICD-10-CM release {clinic.codeRelease}
        </p>
        <Spread />
        <Choose
          label="Light or night"
          hideLabel
          value={theme}
          onChange={(next) => {
            chooseTheme(next as Theme);
            setTheme(next as Theme);
          }}
          choices={[
            { id: 'system', label: 'As the system' },
            { id: 'light', label: 'Light' },
            { id: 'night', label: 'Night' },
          ]}
        />
      </Head>
      {code && may('see_chart') && <Code code={code} />}
      {!code && (
        <Tabs
          label="Settings"
          value={params.get('part') ?? 'registration'}
          onChange={(part) => setParams({ part })}
          items={[
            {
              id: 'registration',
              label: 'Registration',
              content: (
                <>
                  <RequiredFields />
                  {may('set_clinic') && <Import />}
                </>
              ),
            },
            { id: 'working-time', label: 'Working time', content: <WorkingTime /> },
            {
              id: 'visit-types',
              label: 'Visit types',
              content: (
                <>
                  <VisitTypes />
                  <UntimedLists />
                  <BookingRules />
                </>
              ),
            },
            { id: 'check-in', label: 'Check-in', content: <CheckInSettings /> },
            { id: 'building', label: 'Building', content: <House /> },
            ...(may('set_clinic') ? [{ id: 'results', label: 'Results', content: <UsualDays /> }] : []),
            ...(may('see_audit') ? [{ id: 'overridden', label: 'Overridden warnings', content: <Overridden /> }] : []),
            ...(may('write_texts') ? [{ id: 'texts', label: 'Texts', content: <Texts /> }] : []),
            ...(may('manage_staff') ? [{ id: 'staff', label: 'People who work here', content: <Staff /> }] : []),
            ...(may('see_charges') ? [{ id: 'payers', label: 'Payers', content: <Payers /> }] : []),
            ...(may('claims') ? [{ id: 'money', label: 'Money', content: <MoneyRules /> }] : []),
            ...(may('see_charges') ? [{ id: 'services', label: 'Services and prices', content: <Catalogue /> }] : []),
          ]}
        />
      )}
    </Page>
  );
}
