-- Every guard that speaks in a trigger has a name of its own, as a constraint has: the program tells which one spoke by
-- that name (`store/src/refusals.rs`), never by its words.
do $$
declare
    guard record;
    said record;
    body text;
begin
    for guard in
        select p.oid, pg_get_functiondef(p.oid) as definition from pg_proc p
        join pg_namespace n on n.oid = p.pronamespace join pg_language l on l.oid = p.prolang
        where n.nspname = current_schema() and l.lanname = 'plpgsql' and p.prosrc like '%raise exception%'
    loop
        body := guard.definition;
        for said in
            select * from (values
                ('harbor: the person has died; no visit can be booked', 'booked_for_the_dead'),
                ('harbor: this time has passed', 'booked_in_the_past'),
                ('harbor: the clinician does not work at this time', 'booked_outside_a_shift'),
                ('harbor: nobody works on this day', 'booked_without_a_shift'),
                ('harbor: this time is held', 'booked_in_held_time'),
                ('harbor: this time is not open for booking yet', 'booked_before_release'),
                ('harbor: the list of this day is full', 'list_is_full'),
                ('harbor: a visit type takes longer than its slot', 'slot_too_short'),
                ('harbor: the slots are longer than the shift', 'shift_too_short'),
                ('harbor: somebody is booked in a time that falls out; try again', 'slot_is_booked'),
                ('harbor: this time has just fallen out; choose another', 'slot_fell_out'),
                ('harbor: one of the records is merged already', 'merged_already'),
                ('harbor: the note is signed; what changes beside it is told in an addendum', 'changed_beside_a_signed_note'),
                ('the note is signed; add an addendum', 'note_is_signed'),
                ('% is append-only: a slip is put right by a new row', 'append_only'),
                ('ledger transaction % is off by % cents', 'ledger_sums_to_zero'),
                ('a closed till is not changed: a slip is put right in the next one', 'closed_till'),
                ('the till is closed', 'till_is_closed'),
                ('payment % and its entries disagree: %', 'payment_agrees')
            ) as guards (words, name)
        loop
            -- What follows the words up to the error code: nothing, or the values that the words tell.
            body := regexp_replace(body,
                '(raise exception ' || regexp_replace(quote_literal(said.words), '([.*+?()\[\]{}|^$\\])', '\\\1', 'g')
                    || '[^;]*? using errcode = ''\w+'')(?!, constraint)',
                '\1, constraint = ' || quote_literal(said.name), 'g');
        end loop;
        execute body;
    end loop;
    if exists (
        select from pg_proc p join pg_namespace n on n.oid = p.pronamespace
        where n.nspname = current_schema() and p.prosrc ~ 'raise exception' and
            (select count(*) from regexp_matches(p.prosrc, 'raise exception', 'g')) <>
            (select count(*) from regexp_matches(p.prosrc, 'constraint = ', 'g'))
    ) then
        raise exception 'a guard has no name';
    end if;
end $$;
