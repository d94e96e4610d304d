-- Wrong passwords by login and by address, and browsers that a login has been right from.

create table tantamos.wrong_password (
  kind text not null check (kind in ('login', 'address')),
  subject text not null,
  count integer not null check (count > 0),
  -- counted from here; after a while it begins anew
  since timestamptz not null default now(),
  primary key (kind, subject)
);

create table tantamos.known_browser (
  secret_hash bytea not null,
  account uuid not null references tantamos.account on delete cascade,
  last_used_at timestamptz not null default now(),
  -- wrong passwords in a row; after too many it is known no longer
  wrong integer not null default 0,
  primary key (secret_hash, account)
);

-- Who works on what a key was given for, and since when nobody has any more; what is made has this id.
delete from tantamos.idempotency where status is null;
alter table tantamos.idempotency
  add made uuid not null default tantamos.new_id(),
  add lease_until timestamptz not null default now();
