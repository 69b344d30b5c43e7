-- Text templates, the clinic's and one's own. Every change is a row: the last version of an entry is what is used.
create table text_templates (
    id uuid primary key,
    entry_id uuid not null,
    version integer not null check (version > 0),
    -- Whose own it is; nothing for the clinic's.
    owner_id uuid references staff,
    title text not null check (title <> ''),
    -- What somebody comes with, for whom it is offered; parted by commas.
    complaints text not null,
    texts jsonb not null,
    ended boolean not null,
    recorded_at timestamptz not null,
    recorded_by text not null,
    unique (entry_id, version)
);
create trigger append_only before update or delete on text_templates for each row execute function refuse_change();
create trigger no_truncate before truncate on text_templates for each statement execute function refuse_change();

-- Questionnaires in their versions, as they are written; those that ship stand here once somebody answered them.
create table questionnaires (
    entry text not null,
    version integer not null check (version > 0),
    title text not null check (title <> ''),
    body text not null,
    ended boolean not null,
    recorded_at timestamptz not null,
    recorded_by text not null,
    primary key (entry, version)
);
create trigger append_only before update or delete on questionnaires for each row execute function refuse_change();
create trigger no_truncate before truncate on questionnaires for each statement execute function refuse_change();

-- What was answered in a visit, to the version that was asked. Changed while the note is open; struck, it stays.
create table questionnaire_responses (
    id uuid primary key,
    visit_id uuid not null references visits,
    entry text not null,
    entry_version integer not null,
    answers jsonb not null,
    version integer not null check (version > 0),
    answered_at timestamptz not null,
    answered_by text not null,
    struck_at timestamptz,
    foreign key (entry, entry_version) references questionnaires (entry, version)
);
create index on questionnaire_responses (visit_id);
create trigger signed_note before insert or update or delete on questionnaire_responses for each row execute function refuse_signed_note();
create trigger struck_note before insert or update on questionnaire_responses for each row execute function refuse_struck_note();
create trigger no_truncate before truncate on questionnaire_responses for each statement execute function refuse_change();
