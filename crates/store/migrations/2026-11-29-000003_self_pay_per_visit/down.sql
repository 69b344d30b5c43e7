alter table people add self_pay_told_at timestamptz, add self_pay_told_by text;
update people p set self_pay_told_at = t.at, self_pay_told_by = t.by
  from (select distinct on (v.person_id) v.person_id, s.at, s.by from self_pay_told s join visits v on v.id = s.visit_id
        order by v.person_id, s.at desc) t
  where t.person_id = p.id;
drop table self_pay_told;
