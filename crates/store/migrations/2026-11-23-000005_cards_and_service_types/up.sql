-- Pictures of insurance cards, and what kind of service each one is to a payer.

-- X12 service type (data element 1365): 98 is a visit to the office.
alter table services add column service_type text not null default '98';
update services set service_type = kinds.kind
from (values
    ('WELLI', '81'), ('WELLN', '81'), ('DRAW', '5'), ('HANDLE', '5'), ('FLUADM', '80'), ('PNEADM', '80'),
    ('HEPADM', '80'), ('ECG', '73'), ('SPIRO', '73'), ('STREPT', '5'), ('URDIP', '5'), ('GLUCO', '5'),
    ('SUTURE', '2'), ('EARWAX', '2'), ('SPLINT', '12'), ('B12INJ', '88'), ('KETOR', '88'), ('NEBUL', '1'),
    ('INJ', '1'), ('DRESS', '1'), ('TOBAC', '1'), ('DEPSCR', '1'), ('ALCSCR', '1'), ('FORM', '1'), ('WORKREP', '1')
) as kinds (code, kind) where services.code = kinds.code;

-- A newer picture of a side takes the place of the older one, which stays.
create table coverage_cards (
    id uuid primary key,
    coverage_id uuid not null references coverages,
    side text not null check (side in ('front', 'back')),
    media_type text not null check (media_type in ('image/png', 'image/jpeg', 'application/pdf')),
    content bytea not null check (octet_length(content) between 1 and 5242880),
    digest text not null,
    added_at timestamptz not null,
    added_by text not null
);
create index on coverage_cards (coverage_id, side, added_at);
create trigger coverage_cards_append_only before update or delete on coverage_cards
    for each row execute function refuse_change();

-- What each fact was when the payer was asked: it may be corrected afterwards, the verdict was on this.
alter table benefit_checks add column sent jsonb not null default '{}';
