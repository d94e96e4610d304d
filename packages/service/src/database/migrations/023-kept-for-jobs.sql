-- Values that a saved job says, or a further part of any job, are in use as well: as long as the job is kept.
create or replace function tantamos.drop_unused_values(most integer) returns integer language plpgsql as $$
declare
  ids uuid[] := array(
    select g.id from tantamos.given g
    where g.made_at < now() - interval '7 days' and g.id::text not in (
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
  delete from tantamos.given where id = any(ids);
  return cardinality(ids);
end $$;
