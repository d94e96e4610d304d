-- Jobs saved under names, with what they ask for when they are used, and every version there was.

create table tantamos.saved_job (
  id uuid primary key default gen_random_uuid(),
  name text not null check (name = btrim(name) and length(name) between 1 and 100),
  owner uuid not null references tantamos.account on delete cascade,
  -- open to all; else the owner's own, and that of the people it is shared with
  open boolean not null default false,
  shared_with uuid[] not null default '{}',
  folder text,
  note text,
  type text not null,
  version integer not null default 1,
  -- {job, inputs, view}; in bound, names of records are keys
  said jsonb not null,
  bound jsonb not null,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now(),
  -- the last preview that was made of it, and by whom
  last_preview uuid,
  used_by uuid references tantamos.account on delete set null,
  used_at timestamptz
);
create unique index on tantamos.saved_job (lower(name));

-- Every version there was, the present one among them.
create table tantamos.saved_job_version (
  job uuid not null references tantamos.saved_job on delete cascade,
  version integer not null,
  said jsonb not null,
  -- why it was changed
  why text,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now(),
  primary key (job, version)
);
