-- What the address service said of an address; it says nothing of another one.
create table address_checks (
  person_id uuid primary key references people (id),
  address text not null,
  known boolean not null,
  at timestamptz not null
);
-- Whoever gave an e-mail address declined none.
update people set email_declined = false where email_declined and email is not null;
