-- The marks that a visit has reached, one row each: the visits themselves stay narrow enough to be read by the thousand.
create table visit_marks (
    visit_id uuid not null references visits,
    mark text not null check (mark in
        ('booked', 'here', 'checked_in', 'roomed', 'seen', 'signed', 'charged', 'claimed', 'settled')),
    at timestamptz not null,
    by text not null,
    primary key (visit_id, mark)
);

insert into visit_marks (visit_id, mark, at, by)
    select v.id, m.mark, m.at, coalesce(m.by, '')
    from visits v
    cross join lateral (values
        ('booked', v.booked_at, v.booked_by),
        ('here', v.here_at, v.here_by),
        ('checked_in', v.checked_in_at, v.checked_in_by),
        ('roomed', v.roomed_at, v.roomed_by),
        ('seen', v.seen_at, v.seen_by),
        ('signed', v.signed_at, v.signed_by),
        ('charged', v.charged_at, v.charged_by),
        ('claimed', v.claimed_at, v.claimed_by),
        ('settled', v.settled_at, v.settled_by)
    ) as m (mark, at, by)
    where m.at is not null;

-- What the homes of the roles are made of is found among millions by this alone.
alter table visits add column settled boolean not null default false;
update visits set settled = settled_at is not null;
-- What waits for the end of the step is looked at now: a table whose triggers wait cannot be changed.
set constraints all immediate;
create index visits_unsettled on visits (starts_at) where not settled;

alter table visits
    drop column booked_at, drop column booked_by,
    drop column here_at, drop column here_by,
    drop column checked_in_at, drop column checked_in_by,
    drop column roomed_at, drop column roomed_by,
    drop column seen_at, drop column seen_by,
    drop column left_by,
    drop column signed_at, drop column signed_by,
    drop column charged_at, drop column charged_by,
    drop column claimed_at, drop column claimed_by,
    drop column settled_at, drop column settled_by;

-- Consents have a history of their own.
alter table people drop column privacy_notice_at;
