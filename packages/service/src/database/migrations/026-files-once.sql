-- Who is on a list is found by its primary key as well: this one took a third of the time that a list of 100,000 took to be kept.
drop index tantamos.list_match_list_type_key_idx;

-- What a file gives its records stands there once, for all of its fields: a set of values has one field, or several, whose
-- values stand side by side. The list of those records has the same id.
alter table tantamos.given alter field drop not null, add fields text[],
  add constraint given_of_fields check ((field is null) <> (fields is null));
create table tantamos.given_row (
  given uuid not null,
  key text not null collate "C",
  texts text[] not null,
  -- which of them are said; null: all
  said boolean[],
  primary key (given, key)
);

-- A set is in use as well while the list of its records is there.
create or replace function tantamos.drop_unused_values(most integer) returns integer language plpgsql as $$
declare
  ids uuid[] := array(
    select g.id from tantamos.given g
    where g.made_at < now() - interval '7 days' and not exists (select from tantamos.list l where l.id = g.id)
      and g.id::text not in (
      select u.id #>> '{}' from (
        select jsonb_path_query(job, '$.**.given.id') as id from tantamos.preview
        union all
        select jsonb_path_query(job, '$.**.given.id') from tantamos.draft
        union all
        select jsonb_path_query(said, '$.**.given.id') from tantamos.saved_job) u
      where u.id is not null)
    order by g.id limit most);
begin
  delete from tantamos.given_value where given = any(ids);
  delete from tantamos.given_row where given = any(ids);
  delete from tantamos.given where id = any(ids);
  return cardinality(ids);
end $$;

-- The columns of a file that hold other than plain letters, from 0.
alter table tantamos.file add others integer[] not null default '{}';
-- Of those that are there nobody knows.
update tantamos.file set others = array(select generate_series(0, 299));

-- What a spreadsheet did to cells of an export that came back, each put right: in words, one a cell.
alter table tantamos.file_fate add damage text[];
