drop trigger signed_part on note_parts;
drop function refuse_signed_part;
drop table part_signatures;
