-- Every service that works on this database says by the database's clock that it is alive. `name` is in the application name of
-- each of its sessions, by which those of one that no longer says so are found.
create table tantamos.worker (
  name text primary key check (name ~ '^[0-9a-f]{8}$'),
  host text not null,
  process integer not null,
  started_at timestamptz not null default clock_timestamp(),
  beat_at timestamptz not null default clock_timestamp()
);
