-- Products, ingredients, groups and rules of medicines as a clinic imported them: the whole set, counting from a day. Without
-- any the set that ships with the program counts.
create table medicine_tables (
    id uuid primary key,
    counts_from date not null,
    imported_at timestamptz not null,
    imported_by text not null,
    -- By the name of the file, its content.
    files jsonb not null
);
create index on medicine_tables (counts_from desc, imported_at desc);
