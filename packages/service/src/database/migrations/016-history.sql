-- Every change of a setting, with who and when: written by the database itself with the change.

alter table tantamos.workspace add changed_by uuid references tantamos.account on delete set null;

create table tantamos.setting_change (
  id bigint generated always as identity primary key,
  changed_at timestamptz not null default now(),
  changed_by uuid references tantamos.account on delete set null,
  -- workspace; type and its id; field, its type’s id and its name
  what text not null check (what in ('workspace', 'type', 'field')),
  type text,
  field text,
  -- the settings that differ, before (null: none had been set) and after
  was jsonb,
  became jsonb not null
);
create index on tantamos.setting_change (changed_at);

create function tantamos.note_setting() returns trigger language plpgsql as $$
declare
  kept text[] := array['changed_by', 'changed_at', 'type', 'field', 'single', 'demo'];
  before jsonb := case when tg_op = 'UPDATE' then to_jsonb(old) - kept end;
  after jsonb := to_jsonb(new) - kept;
begin
  if tg_op = 'UPDATE' then
    select coalesce(jsonb_object_agg(key, value), '{}') into after from jsonb_each(after) a where before -> a.key is distinct from a.value;
    select coalesce(jsonb_object_agg(key, value), '{}') into before from jsonb_each(before) b where after ? b.key;
    if after = '{}' then return null; end if;
  end if;
  insert into tantamos.setting_change (changed_by, what, type, field, was, became)
  values (new.changed_by, tg_argv[0], to_jsonb(new) ->> 'type', to_jsonb(new) ->> 'field', before, after);
  return null;
end $$;

create trigger note after insert or update on tantamos.type_setting for each row execute function tantamos.note_setting('type');
create trigger note after insert or update on tantamos.field_setting for each row execute function tantamos.note_setting('field');
create trigger note after update on tantamos.workspace for each row execute function tantamos.note_setting('workspace');
