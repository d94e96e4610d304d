-- A rule that came later than some records: old confirmed bookings without a site break it.
alter table bookings add constraint bookings_confirmed_has_site
  check (status <> 'confirmed' or site is not null) not valid;
comment on constraint bookings_confirmed_has_site on bookings is 'A confirmed booking needs a site.';

do $$
declare
  t text;
begin
  foreach t in array array['growers', 'contacts', 'sites', 'hives', 'bookings', 'inspections', 'invoices', 'listings', 'tasks'] loop
    execute format('create trigger stamp before update on %I for each row execute function stamp_updated_at()', t);
    execute format('comment on trigger stamp on %I is %L', t, 'Stamps the modification time.');
  end loop;
end $$;
