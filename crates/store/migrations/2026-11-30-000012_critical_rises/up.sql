-- A critical result that nobody signed rises to the next clinician on duty, after minutes that the clinic sets.
alter table clinic add column critical_after integer not null default 30 check (critical_after between 5 and 1440);
alter table clinic alter column critical_after drop default;

create table result_risings (
    id uuid primary key,
    report_id uuid not null references lab_reports,
    -- Nobody, where everybody might have read it.
    from_id uuid references staff,
    to_id uuid not null references staff,
    risen_at timestamptz not null
);
create index on result_risings (report_id);
create trigger append_only before update or delete on result_risings for each row execute function refuse_change();
create trigger no_truncate before truncate on result_risings for each statement execute function refuse_change();
