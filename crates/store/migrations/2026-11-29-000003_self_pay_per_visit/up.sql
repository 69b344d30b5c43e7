-- That payment is due at the visit is told with each visit, and can be taken back. A policy that is there never goes
-- out of sight because somebody once paid without one.
create table self_pay_told (
  visit_id uuid primary key references visits (id),
  at timestamptz not null,
  by text not null
);
update visits v set self_pay = true
  from people p
  where p.id = v.person_id and p.self_pay_told_at is not null and v.coverage_id is null and not v.self_pay
    and not exists (select 1 from coverages c where c.person_id = v.person_id and c.starts_on <= v.day
                      and (c.ends_on is null or c.ends_on >= v.day));
insert into self_pay_told (visit_id, at, by)
  select v.id, p.self_pay_told_at, coalesce(p.self_pay_told_by, '')
  from visits v join people p on p.id = v.person_id
  where v.self_pay and p.self_pay_told_at is not null and v.ends_at >= p.self_pay_told_at;
alter table people drop column self_pay_told_at, drop column self_pay_told_by;
