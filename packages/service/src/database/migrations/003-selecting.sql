-- Saved selections, pasted lists, kept counts, and what a preview says of the list it was made from.

create table tantamos.saved_selection (
  id uuid primary key default gen_random_uuid(),
  name text not null check (name = btrim(name) and length(name) between 1 and 100),
  owner uuid not null references tantamos.account on delete cascade,
  -- open to all, or the owner's own
  open boolean not null default false,
  note text,
  type text not null,
  version integer not null default 1,
  -- names in its filters are bound to keys; said keeps them as the person wrote them
  selection jsonb not null,
  said jsonb not null,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now(),
  last_count bigint,
  counted_at timestamptz
);
create unique index on tantamos.saved_selection (lower(name));

-- Every version there was, the present one among them.
create table tantamos.saved_selection_version (
  selection uuid not null references tantamos.saved_selection on delete cascade,
  version integer not null,
  said jsonb not null,
  note text,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now(),
  primary key (selection, version)
);

-- A pasted list: every line once, and which records its entries fit.
create table tantamos.list (
  id uuid primary key default gen_random_uuid(),
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now(),
  -- [{type, fields}]
  targets jsonb not null,
  lines integer not null,
  report jsonb not null
);
create index on tantamos.list (made_at);
-- The three tables of a list have no foreign keys: checking 50,000 rows would take as long as writing them. They are
-- written and deleted together, in one place.
create table tantamos.list_line (
  list uuid not null,
  n integer not null,
  said text not null,
  fate text not null check (fate in ('entry', 'blank', 'not_address', 'repeat')),
  -- the place of its entry; null for blanks and what is no address
  entry integer,
  primary key (list, n)
);
create table tantamos.list_entry (
  list uuid not null,
  n integer not null,
  said text not null,
  -- of which other type it is a key or code, where it is unknown: {type, field}
  elsewhere jsonb,
  primary key (list, n)
);
create table tantamos.list_match (
  list uuid not null,
  entry integer not null,
  type text not null,
  key text not null,
  field text not null,
  -- more than one record of the type fits the entry
  several boolean not null,
  taken boolean not null default true,
  primary key (list, entry, type, key)
);

-- For the records of a type that are on the list.
create index on tantamos.list_match (list, type, key);

-- Counts of values, kept to be compared with later ones.
create table tantamos.kept_counts (
  id uuid primary key default gen_random_uuid(),
  name text not null,
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now(),
  type text not null,
  selection jsonb not null,
  fields text[] not null,
  total bigint not null,
  -- [{values: [text or null], count}]
  counts jsonb not null
);

alter table tantamos.preview add list_report jsonb;
