-- Deletes what an unfinished attempt at a preview has left. The everyday role cannot delete frozen rows itself (see
-- docs/operate.md), so this is done with the owner's rights, and only while nothing rests on them: the preview is not
-- ready and no run has started from it.
create function tantamos.sweep_preview(id uuid) returns void
  language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
begin
  if exists (select from tantamos.preview p where p.id = sweep_preview.id and p.state <> 'ready')
    and not exists (select from tantamos.run r where r.preview = sweep_preview.id) then
    perform tantamos.drop_batches(array[sweep_preview.id]);
  end if;
end $$;
