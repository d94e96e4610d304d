-- How keys of new records are made where the database makes none, and values of new records kept under a name.

alter table tantamos.type_setting add new_keys text check (new_keys in ('highest', 'uuid'));

-- What new records of a type are often given; open to all who may see the type.
create table tantamos.preset (
  id uuid primary key default tantamos.new_id(),
  type text not null,
  name text not null check (length(name) between 1 and 100),
  -- edits that set or compute, references by key
  edits jsonb not null,
  saved_by uuid not null references tantamos.account on delete cascade,
  saved_at timestamptz not null default now()
);
create unique index on tantamos.preset (type, lower(name));
