alter table people add column privacy_notice_at timestamptz;
update people p set privacy_notice_at = c.recorded_at
    from (select distinct on (person_id) person_id, recorded_at, given from consents
          where kind = 'privacy_notice' order by person_id, recorded_at desc) c
    where c.person_id = p.id and c.given;
set constraints all immediate;

alter table visits
    add column booked_at timestamptz, add column booked_by text,
    add column here_at timestamptz, add column here_by text,
    add column checked_in_at timestamptz, add column checked_in_by text,
    add column roomed_at timestamptz, add column roomed_by text,
    add column seen_at timestamptz, add column seen_by text,
    add column left_by text,
    add column signed_at timestamptz, add column signed_by text,
    add column charged_at timestamptz, add column charged_by text,
    add column claimed_at timestamptz, add column claimed_by text,
    add column settled_at timestamptz, add column settled_by text;
update visits v set
    booked_at = m.at[1], here_at = m.at[2], checked_in_at = m.at[3], roomed_at = m.at[4], seen_at = m.at[5],
    signed_at = m.at[6], charged_at = m.at[7], claimed_at = m.at[8], settled_at = m.at[9],
    booked_by = m.by[1], here_by = m.by[2], checked_in_by = m.by[3], roomed_by = m.by[4], seen_by = m.by[5],
    signed_by = m.by[6], charged_by = m.by[7], claimed_by = m.by[8], settled_by = m.by[9]
    from (
        select w.id, array_agg(k.at order by o.n) as at, array_agg(k.by order by o.n) as by
        from visits w
        cross join unnest(array['booked', 'here', 'checked_in', 'roomed', 'seen', 'signed', 'charged', 'claimed', 'settled'])
            with ordinality as o (mark, n)
        left join visit_marks k on k.visit_id = w.id and k.mark = o.mark
        group by w.id
    ) m where m.id = v.id;
update visits set booked_at = coalesce(booked_at, placed_at), booked_by = coalesce(booked_by, '');
set constraints all immediate;
alter table visits alter column booked_at set not null, alter column booked_by set not null;
drop index visits_unsettled;
alter table visits drop column settled;
drop table visit_marks;
