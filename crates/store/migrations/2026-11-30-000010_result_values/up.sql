-- Results as values, one row each, and what a report says beside them.
create table result_values (
    report_id uuid not null references lab_reports on delete cascade,
    position integer not null check (position >= 0),
    -- What makes two values ones of one test.
    test_key text not null check (test_key <> ''),
    loinc text not null,
    own_code text not null,
    name text not null,
    -- How the number stands to what was measured: below five is not five.
    comparator text,
    number double precision,
    words text not null,
    -- Not measured, and why stands in the words.
    missing boolean not null,
    unit text not null,
    low double precision,
    high double precision,
    critical_low double precision,
    critical_high double precision,
    range text not null,
    flag text,
    flagged_by text,
    method text not null,
    note text not null,
    primary key (report_id, position),
    check (comparator is null or number is not null),
    check ((flag is null) = (flagged_by is null))
);
create trigger append_only before update or delete on result_values for each row execute function refuse_change();
create trigger no_truncate before truncate on result_values for each statement execute function refuse_change();

-- What was kept until now, as it was kept. Who flagged a value was not; a critical flag that followed from half of the
-- range was a guess, and is taken back to what the range tells.
insert into result_values
select r.id, v.n - 1,
    case when coalesce(v.doc->>'loinc', '') <> '' then 'loinc ' || (v.doc->>'loinc') else 'name ' || lower(coalesce(v.doc->>'name', '?')) end,
    coalesce(v.doc->>'loinc', ''), '', coalesce(v.doc->>'name', ''), null, (v.doc->>'number')::double precision,
    coalesce(v.doc->>'text', ''), false, coalesce(v.doc->>'unit', ''),
    (v.doc->>'low')::double precision, (v.doc->>'high')::double precision, null, null, '',
    case v.doc->>'flag' when 'LL' then 'L' when 'HH' then 'H' else v.doc->>'flag' end,
    case when v.doc->>'flag' is not null then 'range' end, '', ''
from lab_reports r cross join lateral jsonb_array_elements(r.content) with ordinality as v(doc, n);

alter table lab_reports
    add column name text not null default '',
    add column performer text not null default '',
    add column conclusion text not null default '',
    -- Whom the laboratory named.
    add column subject jsonb not null default '{}',
    -- How pressing it is; see the core's Urgency.
    add column urgency text not null default 'untold',
    -- Who is to read it; nobody where everybody may.
    add column reviewer_id uuid references staff,
    add column reviewed_by_id uuid references staff;
update lab_reports r set
    name = coalesce((select o.test_name from orders o where o.id = r.order_id), r.content->0->>'name', ''),
    subject = case when r.record_number = '' then '{}' else jsonb_build_object('recordNumber', r.record_number) end,
    reviewer_id = (select o.orderer_id from orders o where o.id = r.order_id),
    reviewed_by_id = (select min(s.id::text)::uuid from staff s where s.name = r.reviewed_by having count(*) = 1),
    urgency = case
        when jsonb_array_length(r.content) = 0 then 'untold'
        when exists (select from result_values v where v.report_id = r.id and v.flag not in ('N', 'NEG')) then 'outside'
        when not exists (select from result_values v where v.report_id = r.id and v.flag is distinct from 'N') then 'usual'
        else 'untold'
    end;
alter table lab_reports alter column name drop default, alter column performer drop default, alter column conclusion drop default,
    alter column subject drop default, alter column urgency drop default, drop column content;

-- What waits for its reader, the most pressing first.
create index results_waiting on lab_reports (received_at) where reviewed_at is null and not replaced;

-- Files that came with a report, byte for byte.
create table report_files (
    report_id uuid not null references lab_reports,
    position integer not null check (position >= 0),
    title text not null,
    media_type text not null,
    content bytea not null,
    primary key (report_id, position)
);
create trigger append_only before update or delete on report_files for each row execute function refuse_change();
create trigger no_truncate before truncate on report_files for each statement execute function refuse_change();

-- Who had a result before their eyes, and did not sign it.
create table result_looks (
    report_id uuid not null references lab_reports,
    staff_id uuid not null references staff,
    looked_at timestamptz not null,
    primary key (report_id, staff_id)
);
create trigger append_only before update or delete on result_looks for each row execute function refuse_change();
create trigger no_truncate before truncate on result_looks for each statement execute function refuse_change();

-- Handed on to a colleague with a question.
create table result_questions (
    id uuid primary key,
    report_id uuid not null references lab_reports,
    from_id uuid not null references staff,
    to_id uuid not null references staff,
    question text not null check (question <> ''),
    asked_at timestamptz not null,
    check (from_id <> to_id)
);
create index on result_questions (report_id);
create trigger append_only before update or delete on result_questions for each row execute function refuse_change();
create trigger no_truncate before truncate on result_questions for each statement execute function refuse_change();

-- Filed under somebody by a person, and taken away again: both charts tell it.
create table result_filings (
    id uuid primary key,
    report_id uuid not null references lab_reports,
    person_id uuid not null references people,
    order_id uuid references orders,
    -- Filed, or taken away.
    filed boolean not null,
    -- What spoke for it when it was filed, or why it was taken away.
    reason text not null check (reason <> ''),
    done_by text not null,
    done_at timestamptz not null
);
create index on result_filings (report_id);
create index on result_filings (person_id);
create trigger append_only before update or delete on result_filings for each row execute function refuse_change();
create trigger no_truncate before truncate on result_filings for each statement execute function refuse_change();
