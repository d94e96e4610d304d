-- Rules of the workspace's own: what must hold for records of a type, every version there was, and how many broke each, by day.

create table tantamos.rule (
  id uuid primary key default gen_random_uuid(),
  name text not null check (name = btrim(name) and length(name) between 1 and 100),
  type text not null,
  -- names in its conditions are bound to keys; said keeps them as the person wrote them
  bound jsonb not null,
  said jsonb not null,
  is_on boolean not null default false,
  version integer not null default 1,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now()
);
create unique index on tantamos.rule (lower(name));

-- Every version there was, the present one among them; switching on and off is one too.
create table tantamos.rule_version (
  rule uuid not null references tantamos.rule on delete cascade,
  version integer not null,
  said jsonb not null,
  is_on boolean not null,
  changed_by uuid not null references tantamos.account,
  changed_at timestamptz not null default now(),
  primary key (rule, version)
);

-- The last count of each day, in the workspace's time zone.
create table tantamos.rule_count (
  rule uuid not null references tantamos.rule on delete cascade,
  day date not null,
  broken bigint not null,
  counted_at timestamptz not null default now(),
  primary key (rule, day)
);
