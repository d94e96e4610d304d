-- What was frozen of previews goes as a whole: of those that nobody started, and of those that did not come to their end.
create function tantamos.drop_batches(previews uuid[]) returns void language plpgsql as $$
begin
  delete from tantamos.batch_along_value where preview = any(previews);
  delete from tantamos.batch_along where preview = any(previews);
  delete from tantamos.batch_value where preview = any(previews);
  delete from tantamos.batch_place where preview = any(previews);
  delete from tantamos.batch where preview = any(previews);
end $$;

-- Forgets previews that nobody started, a day after they could last be; so many at a time. How many they were.
create or replace function tantamos.drop_expired(most integer) returns integer language plpgsql as $$
declare
  ids uuid[] := array(select id from tantamos.preview p where expires_at < now() - interval '1 day' and state <> 'working'
    and not exists (select from tantamos.run where preview = p.id) order by id limit most);
begin
  perform tantamos.drop_batches(ids);
  delete from tantamos.preview where id = any(ids);
  return cardinality(ids);
end $$;
