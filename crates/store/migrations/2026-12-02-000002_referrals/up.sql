-- Referrals to the clinic as they are kept with the person, counted down by the visits that name them.
create table referrals (
    id uuid primary key,
    person_id uuid not null references people,
    -- The payer that it is for; empty where nobody said.
    payer_id uuid references payers,
    from_last text not null,
    from_first text not null default '',
    from_npi text not null default '',
    -- What is asked, in the words of who referred.
    question text not null default '',
    -- The payer's own number of it.
    number text not null default '',
    valid_from date not null,
    -- Its last day and its visits; unknown where nobody told, which limits nothing.
    valid_until date check (valid_until >= valid_from),
    visits integer check (visits between 1 and 999),
    told_at timestamptz not null,
    told_by text not null,
    ended_at timestamptz,
    ended_by text not null default ''
);
create index on referrals (person_id, valid_from);
create index on referrals (payer_id);

alter table payers add column needs_referral boolean not null default false;

-- What was typed with a visit becomes a referral of its person, one for all visits that say the same.
alter table visit_billing add column referral_id uuid references referrals;
create index on visit_billing (referral_id) where referral_id is not null;
insert into referrals (id, person_id, from_last, from_first, from_npi, number, valid_from, told_at, told_by)
select gen_random_uuid(), v.person_id, b.referring_last, b.referring_first, b.referring_npi, b.referral, min(v.day),
    min(b.said_at), min(b.said_by)
from visit_billing b join visits v on v.id = b.visit_id
where b.referral <> '' or b.referring_last <> ''
group by v.person_id, b.referring_last, b.referring_first, b.referring_npi, b.referral;
update visit_billing b set referral_id = r.id
from visits v, referrals r
where v.id = b.visit_id and r.person_id = v.person_id and (b.referral <> '' or b.referring_last <> '')
    and (r.from_last, r.from_first, r.from_npi, r.number)
        = (b.referring_last, b.referring_first, b.referring_npi, b.referral);
alter table visit_billing
    drop column referral, drop column referring_last, drop column referring_first, drop column referring_npi;
