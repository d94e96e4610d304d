-- What is kept for how long. Ids of previews and runs carry their moment (UUID version 7, RFC 9562), so that everything frozen
-- for them stands in partitions by month that are dropped as a whole.

create function tantamos.first_id(moment timestamptz) returns uuid language sql immutable parallel safe
  return (lpad(to_hex((extract(epoch from moment) * 1000)::bigint), 12, '0') || repeat('0', 20))::uuid;
create function tantamos.new_id() returns uuid language sql volatile parallel safe
  return (lpad(to_hex((extract(epoch from clock_timestamp()) * 1000)::bigint), 12, '0') || '7'
    || substr(replace(gen_random_uuid()::text, '-', ''), 14))::uuid;
alter table tantamos.preview alter id set default tantamos.new_id();
alter table tantamos.run alter id set default tantamos.new_id(),
  -- Set when its journal has been dropped: who did what and how many is still known, which records no longer.
  add journal_dropped_at timestamptz;

alter table tantamos.workspace
  -- months that journals are kept; null: for good
  add keep_months integer check (keep_months between 1 and 240),
  -- A preview holds the database's cleaning (vacuum) back while it is worked out.
  add preview_minutes integer not null default 30 check (preview_minutes between 1 and 720);

-- Each of them as it was, partitioned. Rows that point at each other are written in one transaction by one statement, so
-- that foreign keys between them would only cost time, and stand in the way of dropping a month.
do $$
declare
  t text;
begin
  foreach t in array array['batch_along_value', 'batch_along', 'batch_value', 'batch', 'run_along', 'run_batch'] loop
    execute format('alter table tantamos.%I rename to %I', t, t || '_old');
  end loop;
  foreach t in array array['batch', 'batch_value', 'batch_along', 'batch_along_value', 'run_batch', 'run_along'] loop
    execute format('create table tantamos.%I (like tantamos.%I including all) partition by range (%I)', t, t || '_old',
      case when t like 'run%' then 'run' else 'preview' end);
    execute format('create table tantamos.%I partition of tantamos.%I default', t || '_rest', t);
  end loop;
end $$;
alter table tantamos.batch add foreign key (preview) references tantamos.preview;
alter table tantamos.run_batch add foreign key (run) references tantamos.run;
alter table tantamos.run_batch_rest set (fillfactor = 70);

-- Columns but for those that the database works out.
do $$
declare
  t text;
  columns text;
begin
  foreach t in array array['batch', 'batch_value', 'batch_along', 'batch_along_value', 'run_batch', 'run_along'] loop
    select string_agg(quote_ident(attname), ', ' order by attnum) into columns from pg_attribute
      where attrelid = ('tantamos.' || t)::regclass and attnum > 0 and not attisdropped and attgenerated = '';
    execute format('insert into tantamos.%1$I (%2$s) select %2$s from tantamos.%3$I', t, columns, t || '_old');
  end loop;
  foreach t in array array['batch_along_value', 'batch_along', 'batch_value', 'batch', 'run_along', 'run_batch'] loop
    execute format('drop table tantamos.%I', t || '_old');
  end loop;
end $$;

-- Makes the partitions of a month, where they are not there. What came before they did, and stands in the rest, stays there.
create function tantamos.need_month(month date) returns void language plpgsql as $$
declare
  t text;
  part text;
begin
  foreach t in array array['batch', 'batch_value', 'batch_along', 'batch_along_value', 'run_batch', 'run_along'] loop
    part := t || to_char(month, '_YYYY_MM');
    if to_regclass('tantamos.' || part) is null then
      begin
        execute format('create table tantamos.%I partition of tantamos.%I for values from (%L) to (%L)', part, t,
          tantamos.first_id(month::timestamp at time zone 'UTC'),
          tantamos.first_id((month + interval '1 month') at time zone 'UTC'));
        if t = 'run_batch' then
          execute format('alter table tantamos.%I set (fillfactor = 70)', part);
        end if;
      exception when check_violation then null;
      end;
    end if;
  end loop;
end $$;

-- Drops what was frozen and done in a month, and what stands in the rest and is as old: of ids without a moment too. False where a run of it is not over yet: its month stays.
create function tantamos.drop_month(month date) returns boolean language plpgsql as $$
declare
  t text;
  low uuid := tantamos.first_id(month::timestamp at time zone 'UTC');
  high uuid := tantamos.first_id((month + interval '1 month') at time zone 'UTC');
  runs uuid[];
  previews uuid[];
begin
  if exists (select from tantamos.run where (id >= low and id < high or preview >= low and preview < high)
      and state not in ('finished', 'stopped')) then
    return false;
  end if;
  update tantamos.run set journal_dropped_at = clock_timestamp()
    where (id >= low and id < high or preview >= low and preview < high) and journal_dropped_at is null;
  foreach t in array array['batch_along_value', 'batch_along', 'batch_value', 'batch', 'run_along', 'run_batch'] loop
    execute format('drop table if exists tantamos.%I', t || to_char(month, '_YYYY_MM'));
  end loop;
  select array_agg(id), array_agg(preview) into runs, previews from tantamos.run
    where started_at < (month + interval '1 month') at time zone 'UTC' and state in ('finished', 'stopped')
      and id in (select run from tantamos.run_batch_rest);
  update tantamos.run set journal_dropped_at = clock_timestamp() where id = any(runs) and journal_dropped_at is null;
  foreach t in array array['batch_along_value', 'batch_along', 'batch_value', 'batch', 'run_along', 'run_batch'] loop
    execute format('delete from tantamos.%I where %I = any($1)', t || '_rest', case when t like 'run%' then 'run' else 'preview' end)
      using case when t like 'run%' then runs else previews end;
  end loop;
  return true;
end $$;

-- Forgets previews that nobody started, a day after they could last be; so many at a time. How many they were.
create function tantamos.drop_expired(most integer) returns integer language plpgsql as $$
declare
  ids uuid[] := array(select id from tantamos.preview p where expires_at < now() - interval '1 day' and state <> 'working'
    and not exists (select from tantamos.run where preview = p.id) order by id limit most);
begin
  delete from tantamos.batch_along_value where preview = any(ids);
  delete from tantamos.batch_along where preview = any(ids);
  delete from tantamos.batch_value where preview = any(ids);
  delete from tantamos.batch_place where preview = any(ids);
  delete from tantamos.batch where preview = any(ids);
  delete from tantamos.preview where id = any(ids);
  return cardinality(ids);
end $$;

-- Where this schema is at home: a copy of the database is somewhere else.
create table tantamos.instance (
  single boolean primary key default true check (single),
  system_identifier bigint not null,
  database oid not null,
  name text not null default '',
  since timestamptz not null default now()
);
