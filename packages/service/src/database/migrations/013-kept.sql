-- Values that are kept before a job is said, piece by piece: how many there are by now and, of a map, the path of the field
-- whose values they are looked up by (null: the key of the record). What a value becomes may be blank.

alter table tantamos.given
  add source text,
  add count bigint not null default 0;
alter table tantamos.given_value alter value drop not null;

-- Forgets up to so many sets of values that are a week old and that no preview and no unfinished job names; how many.
create function tantamos.drop_unused_values(most integer) returns integer language plpgsql as $$
declare
  ids uuid[] := array(
    select g.id from tantamos.given g
    where g.made_at < now() - interval '7 days' and g.id::text not in (
      select u.id #>> '{}' from (
        select jsonb_path_query(job, '$.edits[*].given.id') as id from tantamos.preview
        union all
        select jsonb_path_query(job, '$.edits[*].given.id') from tantamos.draft) u
      where u.id is not null)
    order by g.id limit most);
begin
  delete from tantamos.given_value where given = any(ids);
  delete from tantamos.given where id = any(ids);
  return cardinality(ids);
end $$;
