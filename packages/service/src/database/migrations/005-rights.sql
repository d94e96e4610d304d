-- Who may do what: lines that allow or deny, to a role or to one account; a denial always wins.

create table tantamos.role (
  id text primary key check (id ~ '^[a-z][a-z0-9_-]{0,99}$'),
  label text not null,
  built_in boolean not null default false
);
insert into tantamos.role (id, label, built_in) values
  ('administrator', 'Administrator', true), ('editor', 'Editor', true), ('reader', 'Reader', true);

alter table tantamos.account
  drop constraint account_role_check,
  add foreign key (role) references tantamos.role,
  -- the record of a type that holds people whom the account stands for: what me() means
  add person_type text,
  add person_key text,
  add check ((person_type is null) = (person_key is null)),
  add last_used_at timestamptz;

alter table tantamos.session
  add id uuid not null unique default gen_random_uuid(),
  add last_used_at timestamptz not null default now();

create table tantamos.right_line (
  id uuid primary key default tantamos.new_id(),
  role text references tantamos.role,
  account uuid references tantamos.account on delete cascade,
  effect text not null check (effect in ('allow', 'deny')),
  -- acts.ts of the core
  acts text[] not null check (cardinality(acts) > 0),
  -- null: every type; every field; every record; any number
  types text[],
  fields text[],
  filter text,
  most bigint check (most > 0),
  made_by uuid references tantamos.account,
  made_at timestamptz not null default now(),
  check ((role is null) <> (account is null))
);
insert into tantamos.right_line (role, effect, acts) values
  ('administrator', 'allow', array['see', 'change', 'change_many', 'create', 'delete', 'put_back', 'overwrite']),
  ('administrator', 'allow', array['steer', 'keep_open', 'schedule', 'administer']),
  ('editor', 'allow', array['see', 'change', 'change_many', 'create', 'put_back', 'overwrite']),
  ('editor', 'allow', array['keep_open', 'schedule']),
  ('reader', 'allow', array['see']);

-- Several unfinished jobs a person. The version tells two tabs that keep the same one apart.
alter table tantamos.draft
  drop constraint draft_pkey,
  add id uuid primary key default tantamos.new_id(),
  add version integer not null default 1;
create index on tantamos.draft (account, saved_at desc);
