-- Which records of a type count as open (a condition in the language), and hand-overs with what they began from.

alter table tantamos.type_setting add open_when text check (length(open_when) <= 10000);

create table tantamos.handover (
  id uuid primary key default tantamos.new_id(),
  person_type text not null,
  person_key text not null,
  preview uuid not null references tantamos.preview on delete cascade,
  -- [{type, field, open, total}]: what pointed at the person before
  before jsonb not null,
  -- [{type, field, which, follow}]: what was handed over
  lines jsonb not null,
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now()
);
create index on tantamos.handover (person_type, person_key, made_at desc);
create index on tantamos.handover (preview);
