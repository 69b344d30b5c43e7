-- A name on a refusal does no harm to an older program: nothing is taken back.
select 1;
