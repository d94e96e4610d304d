-- The control tables of Tantamos. Records are never kept here; nothing is added to the user's own tables.

create table tantamos.account (
  id uuid primary key default gen_random_uuid(),
  login text not null unique check (login = lower(login)),
  name text not null,
  role text not null check (role in ('administrator', 'editor')),
  -- scrypt (RFC 7914): n$r$p$salt$hash, the last two in base64
  password text not null,
  active boolean not null default true,
  created_at timestamptz not null default now()
);

create table tantamos.session (
  -- SHA-256 of the secret; the secret itself is only with the person
  secret_hash bytea primary key,
  account uuid not null references tantamos.account on delete cascade,
  kind text not null check (kind in ('browser', 'token')),
  label text,
  created_at timestamptz not null default now(),
  expires_at timestamptz not null
);
create index on tantamos.session (account);

create table tantamos.workspace (
  single boolean primary key default true check (single),
  name text not null default 'Workspace',
  demo boolean not null default false,
  why_required boolean not null default false,
  preview_hours integer not null default 24 check (preview_hours between 1 and 720)
);
insert into tantamos.workspace default values;

create table tantamos.type_setting (
  type text primary key,
  label text,
  name_field text,
  owner_fields text[],
  hidden boolean not null default false,
  most_records integer check (most_records > 0),
  typed_from integer check (typed_from > 0),
  largest_batch integer check (largest_batch between 1 and 10000),
  changed_by uuid references tantamos.account,
  changed_at timestamptz not null default now()
);

create table tantamos.field_setting (
  type text not null,
  field text not null,
  label text,
  hidden boolean not null default false,
  protected boolean not null default false,
  changed_by uuid references tantamos.account,
  changed_at timestamptz not null default now(),
  primary key (type, field)
);

-- One unfinished job a person, kept across reloads and signing in again.
create table tantamos.draft (
  account uuid primary key references tantamos.account on delete cascade,
  job jsonb not null,
  saved_at timestamptz not null default now()
);

-- A job worked out, and the work order that came of it. The frozen form has a version, in the order; what later
-- versions need besides stands in columns of their own, absent in what was frozen before.
create table tantamos.preview (
  id uuid primary key default gen_random_uuid(),
  kind text not null check (kind in ('edit', 'undo')),
  undo_of uuid,
  -- of the first part
  type text not null,
  job jsonb not null,
  -- order.ts of the core: parts, what each reads (bound trees) and writes
  work_order jsonb not null,
  sentence text not null,
  why text,
  made_by uuid not null references tantamos.account,
  made_at timestamptz not null default now(),
  ready_at timestamptz,
  expires_at timestamptz not null,
  state text not null default 'working' check (state in ('working', 'ready', 'failed', 'cancelled')),
  trouble text,
  batch_size integer not null check (batch_size between 1 and 10000),
  batches integer not null default 0,
  matched bigint not null default 0,
  will_change bigint not null default 0,
  already_right bigint not null default 0,
  not_allowed bigint not null default 0,
  edited_since bigint not null default 0,
  gone bigint not null default 0,
  -- records made or removed along with those matched, by the place of the order's `along`: not among them
  along integer[] not null default '{}',
  -- [{field, old, new, count}], and which fields have more pairs than are listed
  pairs jsonb not null default '[]',
  more_pairs jsonb not null default '[]',
  causes jsonb not null default '[]',
  triggers jsonb not null default '[]',
  -- [{code, message, count, examples}]: what a person should know before starting it
  notes jsonb not null default '[]',
  constraint preview_adds_up check (matched = will_change + already_right + not_allowed + edited_since + gone)
);
create index on tantamos.preview (made_at desc);

-- A preview being worked out, and by which process: one that dies loses it when its lease ends.
create table tantamos.preview_work (
  preview uuid primary key references tantamos.preview on delete cascade,
  holder uuid,
  lease_until timestamptz not null default '-infinity',
  tries integer not null default 0,
  done integer not null default 0,
  total integer not null default 1
);

-- Values given one by one, by key; kept for the previews and retries that are made of them.
create table tantamos.given (
  id uuid primary key default gen_random_uuid(),
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now(),
  type text not null,
  field text not null
);
-- No foreign key: checking a million rows would take as long as writing them. Written and deleted with their set.
create table tantamos.given_value (
  given uuid not null,
  key text not null collate "C",
  value text not null,
  primary key (given, key)
);

-- The letter of an outcome, counted; see outcome.ts of the core for the letters.
create function tantamos.letters(word text, letter text) returns integer
  language sql immutable strict parallel safe
  return length(word) - length(replace(word, letter, ''));

-- The frozen work order: keys, signatures and verdicts as arrays in the job's order. Never changed once written.
-- The positions of a part's batches follow on those of the part before.
create table tantamos.batch (
  preview uuid not null references tantamos.preview on delete cascade,
  position integer not null,
  part smallint not null default 0,
  keys text[] not null,
  signatures bigint[] not null,
  verdicts text not null,
  causes text[],
  size integer generated always as (length(verdicts)) stored,
  will_change integer generated always as (tantamos.letters(verdicts, 'n')) stored,
  already_right integer generated always as (tantamos.letters(verdicts, 'r')) stored,
  not_allowed integer generated always as (tantamos.letters(verdicts, 'x')) stored,
  edited_since integer generated always as (tantamos.letters(verdicts, 'e')) stored,
  gone integer generated always as (tantamos.letters(verdicts, 'g')) stored,
  primary key (preview, position),
  constraint batch_adds_up check (
    length(verdicts) = will_change + already_right + not_allowed + edited_since + gone
    and cardinality(keys) = length(verdicts) and cardinality(signatures) = length(verdicts))
);
-- A delete freezes every field of the record; a create has no old values.
create table tantamos.batch_value (
  preview uuid not null,
  position integer not null,
  field text not null,
  old text[] not null,
  new text[] not null,
  primary key (preview, position, field),
  foreign key (preview, position) references tantamos.batch on delete cascade
);
-- Where the records of a batch were found in their table. Only a hint: key and signature decide. It saves the way through
-- the index of the key; a crash of the database empties it, and it goes with the run's end.
create unlogged table tantamos.batch_place (
  preview uuid not null,
  position integer not null,
  places tid[] not null,
  primary key (preview, position)
);

-- Records that are made, removed or blanked in the same transaction as those of a batch: one row an `along` of the order.
-- `owners` are the places of the batch's records for which each is. What is there already is known by key, and by what it
-- was as it was made or seen; what is made gets its key in the run.
create table tantamos.batch_along (
  preview uuid not null,
  position integer not null,
  along smallint not null,
  owners integer[] not null,
  keys text[],
  made_as bigint[],
  primary key (preview, position, along),
  foreign key (preview, position) references tantamos.batch on delete cascade
);
create table tantamos.batch_along_value (
  preview uuid not null,
  position integer not null,
  along smallint not null,
  field text not null,
  new text[] not null,
  primary key (preview, position, along, field),
  foreign key (preview, position, along) references tantamos.batch_along on delete cascade
);

-- lz4 where the server was built with it; its own way of compressing otherwise.
do $$ begin
  alter table tantamos.batch alter keys set compression lz4, alter signatures set compression lz4,
    alter causes set compression lz4, alter verdicts set compression lz4;
  alter table tantamos.batch_value alter old set compression lz4, alter new set compression lz4;
  alter table tantamos.batch_along alter keys set compression lz4, alter made_as set compression lz4;
  alter table tantamos.batch_along_value alter new set compression lz4;
exception when feature_not_supported then null;
end $$;

create table tantamos.run (
  id uuid primary key default gen_random_uuid(),
  preview uuid not null unique references tantamos.preview,
  started_by uuid not null references tantamos.account,
  started_at timestamptz not null default now(),
  ended_at timestamptz,
  -- Milliseconds spent at work; the time since resumed_at comes on top.
  worked_ms bigint not null default 0,
  resumed_at timestamptz,
  state text not null default 'queued' check
    (state in ('queued', 'running', 'pausing', 'paused', 'waiting_for_you', 'waiting_until', 'stopping', 'finished', 'stopped')),
  -- Why it is in that state, in words; who brought it there.
  reason text,
  state_by uuid references tantamos.account,
  state_at timestamptz not null default now(),
  at_once integer not null check (at_once between 1 and 8),
  pace integer not null check (pace between 1 and 100),
  -- Batches from this position on wait until a person has looked; null: no such border ahead.
  ask_before integer,
  ask_after integer,
  -- [{code, message, count}]: what was noticed on the way
  notes jsonb not null default '[]',
  matched bigint not null,
  changed bigint not null default 0,
  already_right bigint not null default 0,
  not_allowed bigint not null default 0,
  edited_since bigint not null default 0,
  refused bigint not null default 0,
  in_use bigint not null default 0,
  gone bigint not null default 0,
  not_yet bigint not null default 0,
  constraint run_adds_up check
    (matched = changed + already_right + not_allowed + edited_since + refused + in_use + gone + not_yet)
);
create index on tantamos.run (started_at desc);
create index on tantamos.run (state) where state in ('queued', 'running', 'pausing', 'stopping');
alter table tantamos.preview add foreign key (undo_of) references tantamos.run;

-- What may follow which; the same table as state.ts of the core, and a test holds the two together.
create table tantamos.run_step (before text not null, after text not null, primary key (before, after));
insert into tantamos.run_step values
  ('queued', 'running'), ('queued', 'paused'), ('queued', 'stopped'),
  ('running', 'pausing'), ('running', 'stopping'), ('running', 'waiting_for_you'), ('running', 'waiting_until'),
  ('running', 'finished'),
  ('pausing', 'paused'), ('pausing', 'running'), ('pausing', 'stopping'), ('pausing', 'finished'),
  ('stopping', 'stopped'), ('stopping', 'finished'),
  ('paused', 'running'), ('paused', 'stopped'),
  ('waiting_for_you', 'running'), ('waiting_for_you', 'stopped'),
  ('waiting_until', 'running'), ('waiting_until', 'stopped');
create function tantamos.check_run_state() returns trigger language plpgsql as $$
begin
  if old.state <> new.state and not exists (
    select from tantamos.run_step where before = old.state and after = new.state) then
    raise exception 'a run cannot go from % to %', old.state, new.state using errcode = 'check_violation';
  end if;
  return new;
end $$;
create trigger run_state before update of state on tantamos.run
  for each row execute function tantamos.check_run_state();

-- The executor's side: one row a transaction. A stretch (low, high] of a frozen batch, and what became of it.
create table tantamos.run_batch (
  run uuid not null references tantamos.run on delete cascade,
  position integer not null,
  part smallint not null,
  -- one batch after another, by the first lane alone
  in_order boolean not null,
  batch integer not null,
  low integer not null,
  high integer not null,
  -- ready: not touched; tail: some records are left, tried again from not_before on
  state text not null default 'ready' check (state in ('ready', 'tail', 'done')),
  tries integer not null default 0,
  not_before timestamptz,
  finished_at timestamptz,
  outcomes text not null,
  causes jsonb,
  -- {field: {place: value}}: what the database stored instead of the frozen value; places from 1 in this stretch
  altered jsonb,
  -- of records made: their keys and what they were as made (see wholeSignature), by place in this stretch
  made text[],
  made_as bigint[],
  type text not null,
  key_low text not null collate "C",
  key_high text not null collate "C",
  changed integer generated always as (tantamos.letters(outcomes, 'c')) stored,
  already_right integer generated always as (tantamos.letters(outcomes, 'r')) stored,
  not_allowed integer generated always as (tantamos.letters(outcomes, 'x')) stored,
  edited_since integer generated always as (tantamos.letters(outcomes, 'e')) stored,
  refused integer generated always as (tantamos.letters(outcomes, 'f')) stored,
  in_use integer generated always as (tantamos.letters(outcomes, 'u')) stored,
  gone integer generated always as (tantamos.letters(outcomes, 'g')) stored,
  not_yet integer generated always as (tantamos.letters(outcomes, 'n')) stored,
  primary key (run, position),
  constraint run_batch_adds_up check (
    length(outcomes) = high - low
    and length(outcomes) = changed + already_right + not_allowed + edited_since + refused + in_use + gone + not_yet),
  constraint run_batch_done_has_no_rest check (state <> 'done' or not_yet = 0)
) with (fillfactor = 70);
create index run_batch_claim on tantamos.run_batch (run, position) where state <> 'done';
create index run_batch_keys on tantamos.run_batch (type, key_low, key_high);

-- What was made or removed along with a stretch's records, by the places of these in the batch.
create table tantamos.run_along (
  run uuid not null,
  position integer not null,
  along smallint not null,
  owners integer[] not null,
  -- their keys and, of those made, what they were as made
  keys text[] not null,
  made_as bigint[] not null,
  primary key (run, position, along),
  foreign key (run, position) references tantamos.run_batch on delete cascade
);

-- A key as a text that sorts as the key does: whole numbers padded and shifted above zero.
create function tantamos.sortable(key text, whole boolean) returns text
  language sql immutable parallel safe
  return case when whole then lpad((key::numeric + 9223372036854775808)::text, 20, '0') else key end;

-- Ends the statement, and with it the transaction it is, unless all that was to be done was done.
create function tantamos.all_or_nothing(done bigint, wanted bigint) returns boolean language plpgsql as $$
begin
  if done <> wanted then
    raise exception 'not all as it was' using errcode = 'TS001';
  end if;
  return true;
end $$;

create table tantamos.idempotency (
  account uuid not null references tantamos.account on delete cascade,
  key text not null,
  request_hash bytea not null,
  status integer,
  answer jsonb,
  made_at timestamptz not null default now(),
  primary key (account, key)
);
