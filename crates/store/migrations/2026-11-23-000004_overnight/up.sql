-- One run of benefits checks for the visits of a day, whichever server begins it.
create table benefit_runs (
    day date primary key,
    begun_at timestamptz not null,
    asked integer not null
);
