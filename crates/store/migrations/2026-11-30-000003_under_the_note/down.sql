drop trigger signed_note on note_heads;
drop trigger struck_note on note_heads;
drop trigger struck_note on note_cosignatures;
drop trigger struck_note on note_signatures;
drop trigger struck_note on note_parts;
drop table struck_notes;
drop table note_cosignatures;
drop table note_heads;
drop function refuse_struck_note;
