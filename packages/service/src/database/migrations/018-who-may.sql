-- Accounts, their tokens, roles and lines of rights stand in the history of settings too.

alter table tantamos.setting_change
  drop constraint setting_change_what_check,
  add check (what in ('workspace', 'type', 'field', 'account', 'token', 'role', 'right')),
  -- of an account or a token: whose; of a role or a line of rights: whose it is, as it was called
  add subject text,
  -- what was added has no former values, what was taken away has no later ones
  alter became drop not null,
  add check (was is not null or became is not null);

-- What changed, with the person that the transaction says (set local tantamos.person).
create function tantamos.note_who_may() returns trigger language plpgsql as $$
declare
  told text[] := array['login', 'name', 'role', 'active', 'person_type', 'person_key', 'label', 'effect', 'acts', 'types', 'fields', 'filter', 'most'];
  before jsonb; after jsonb; subject text;
  by_person uuid := nullif(current_setting('tantamos.person', true), '')::uuid;
begin
  -- A token is made, and ended where nobody else is said, by whose it is.
  if tg_argv[0] = 'token' and by_person is null then by_person := (coalesce(to_jsonb(new), to_jsonb(old)) ->> 'account')::uuid; end if;
  if tg_op <> 'INSERT' then select coalesce(jsonb_object_agg(key, value), '{}') into before from jsonb_each(to_jsonb(old)) where key = any (told) and value <> 'null'; end if;
  if tg_op <> 'DELETE' then select coalesce(jsonb_object_agg(key, value), '{}') into after from jsonb_each(to_jsonb(new)) where key = any (told) and value <> 'null'; end if;
  if tg_op = 'UPDATE' and to_jsonb(old) ->> 'password' <> to_jsonb(new) ->> 'password' then
    after := after || '{"password": "a new one"}';
  end if;
  if tg_op = 'UPDATE' then
    select coalesce(jsonb_object_agg(k, after -> k), '{}'), coalesce(jsonb_object_agg(k, before -> k), '{}') into after, before
    from (select k from jsonb_object_keys(before || after) k where before -> k is distinct from after -> k) d;
    if after = '{}' then return null; end if;
  end if;
  subject := case tg_argv[0]
    when 'account' then coalesce(to_jsonb(new), to_jsonb(old)) ->> 'login'
    when 'role' then coalesce(to_jsonb(new), to_jsonb(old)) ->> 'id'
    else coalesce(
      (select a.login from tantamos.account a where a.id = (coalesce(to_jsonb(new), to_jsonb(old)) ->> 'account')::uuid),
      coalesce(to_jsonb(new), to_jsonb(old)) ->> 'role') end;
  insert into tantamos.setting_change (changed_by, what, subject, was, became)
  values ((select id from tantamos.account where id = by_person), tg_argv[0], subject, before, after);
  return null;
end $$;

create trigger note after insert or delete or update of login, name, role, active, password, person_type, person_key on tantamos.account for each row execute function tantamos.note_who_may('account');
create trigger note after insert or update or delete on tantamos.role for each row execute function tantamos.note_who_may('role');
create trigger note after insert or update or delete on tantamos.right_line for each row execute function tantamos.note_who_may('right');
create trigger note_made after insert on tantamos.session for each row when (new.kind = 'token') execute function tantamos.note_who_may('token');
create trigger note_ended after delete on tantamos.session for each row when (old.kind = 'token' and old.expires_at > now()) execute function tantamos.note_who_may('token');
