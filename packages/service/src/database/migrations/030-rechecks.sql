-- What has become of the records of a run, counted anew piece after piece: a large run is not counted while somebody waits for
-- one answer, and a count under way outlives its service.
create table tantamos.recheck (
  id uuid primary key default gen_random_uuid(),
  run uuid not null references tantamos.run on delete cascade,
  account uuid not null references tantamos.account on delete cascade,
  begun_at timestamptz not null default clock_timestamp(),
  finished_at timestamptz,
  -- the position that is counted next
  next integer not null default 0,
  sums jsonb not null
);
create index on tantamos.recheck (begun_at);

-- A statement's own count tells that since.
drop function tantamos.all_or_nothing(bigint, bigint);

-- The letters of outcomes are of one byte each, so that bytes can be counted, which is quicker than characters.
create or replace function tantamos.letters(word text, letter text) returns integer
  language sql immutable strict parallel safe
  return octet_length(word) - octet_length(replace(word, letter, ''));
