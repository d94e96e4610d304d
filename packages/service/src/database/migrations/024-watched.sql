-- How runs on a type go where a job does not say, and what a job may say at most.
alter table tantamos.type_setting
  add usual_batch integer, add usual_at_once integer, add usual_pace integer, add most_at_once integer, add most_pace integer;

alter table tantamos.run drop constraint run_at_once_check;
alter table tantamos.run add constraint run_at_once_check check (at_once between 1 and 16);
alter table tantamos.run
  -- records a second on the average
  add per_second integer check (per_second >= 1),
  -- at most so many records in one go, and minutes between two of them; without minutes the next is begun by somebody’s word
  add per_go integer check (per_go >= 1),
  add go_every integer check (go_every >= 1),
  -- {zone, from, to, days}; not heeded before hours_from, where somebody has let it go on outside them
  add hours jsonb,
  add hours_from timestamptz,
  -- {failures, editedSince, minutes, slowdown, lag, waiting}; what was exceeded and let be is not in it any more
  add stop_if jsonb not null default '{}',
  -- {limit, allowed, found}: why it is paused
  add exceeded jsonb,
  -- what lies before ask_before: the first that were asked for, or one go
  add border text not null default 'first' check (border in ('first', 'go')),
  -- not before this moment; nothing is begun while it is set
  add wakes_at timestamptz;

create index on tantamos.run (wakes_at) where state = 'waiting_until';

-- What happened to a run, in order.
create table tantamos.run_event (
  id bigint generated always as identity primary key,
  run uuid not null references tantamos.run on delete cascade,
  at timestamptz not null default clock_timestamp(),
  by uuid references tantamos.account on delete set null,
  what text not null,
  words text
);
create index on tantamos.run_event (run, id);

-- A small write beside a run, now and then: how long others wait for one while it works, and waited before it.
create table tantamos.canary (
  run uuid not null references tantamos.run on delete cascade,
  at timestamptz not null default clock_timestamp(),
  -- how long the one before took, in ms
  ms real,
  before boolean not null
);
create index on tantamos.canary (run, at);

/* Where the next go ends: before the first stretch that would make it more than `most`; null where all fit. */
create function tantamos.next_border(run_id uuid, most integer) returns integer language sql stable as $$
  select min(position) from (
    select position, row_number() over (order by position) as n, sum(not_yet) over (order by position) as up_to
    from tantamos.run_batch where run = run_id and state <> 'done') s
  where up_to > most and n > 1
$$;

insert into tantamos.run_step values ('waiting_until', 'paused');


-- What the database itself said of records that it refused: one of each reason.
create table tantamos.run_refusal (
  run uuid not null references tantamos.run on delete cascade,
  -- as tantamos.reason_of has it
  reason text not null,
  kind text not null,
  code text not null,
  said text not null,
  -- of a unique value that is taken: the fields and the value of one record
  taken jsonb,
  primary key (run, reason)
);

-- {keys, filter, fields, overwrite}: of an undo, which part of the run is taken back; null: all of it
alter table tantamos.preview add undo_which jsonb;

/* The keys of the records of a type that a run left so. Of what it made, the keys they got. */
create function tantamos.keys_in_run(run_id uuid, of_type text, letter text) returns setof text language sql stable rows 10000 as $$
  select coalesce(k.made, k.key)
  from tantamos.run_batch s
  join tantamos.run r on r.id = s.run
  join tantamos.preview p on p.id = r.preview
  join tantamos.batch b on b.preview = r.preview and b.position = s.batch
  cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null), unnest(s.made)) k(key, outcome, made)
  where s.run = run_id and strpos(s.outcomes, letter) > 0 and k.outcome = letter
    and of_type = case when k.made is null then s.type else p.work_order -> 'parts' -> s.part::int ->> 'type' end
$$;

/*
 Where the records of a run are in it, for finding what was done to one record. `ordered`: its stretches do not overlap, so that
 each record can be in one of them only; `mixed`: they do, or records were made, and it is to be indexed when it ends; `indexed`:
 it has been.
*/
alter table tantamos.run add keys text not null default 'mixed' check (keys in ('ordered', 'mixed', 'indexed'));
create index on tantamos.run (ended_at) where keys = 'mixed';
drop index tantamos.run_batch_type_key_low_key_high_idx;
create index on tantamos.run_batch (run, type, key_low);

-- Some hundred keys of a run each, by their hashes in order, and the positions of the stretches that they are in.
create table tantamos.run_key (
  run uuid not null references tantamos.run on delete cascade,
  type text not null,
  low integer not null,
  high integer not null,
  hashes integer[] not null,
  positions integer[] not null
);
create index on tantamos.run_key (run, type, high);

create function tantamos.order_of_keys(run_id uuid) returns text language sql stable as $$
  select case when bool_or(made is not null or key_low <= before) then 'mixed' else 'ordered' end
  from (
    select made, key_low, lag(key_high) over (partition by type order by key_low, key_high) as before
    from tantamos.run_batch where run = run_id) s
$$;

-- Runs of before: most need no index.
update tantamos.run set keys = coalesce(tantamos.order_of_keys(id), 'ordered') where journal_dropped_at is null;
update tantamos.run set keys = 'ordered' where journal_dropped_at is not null;

create function tantamos.index_run(run_id uuid) returns void language plpgsql as $$
begin
  -- Two processes may come to it at once.
  perform from tantamos.run where id = run_id and keys = 'mixed' for update;
  if not found then return; end if;
  insert into tantamos.run_key (run, type, low, high, hashes, positions)
  select run_id, type, min(hash), max(hash), array_agg(hash order by hash), array_agg(position order by hash)
  from (
    select type, hash, position, (row_number() over (partition by type order by hash) - 1) / 400 as chunk
    from (
      select case when k.made is null then s.type else p.work_order -> 'parts' -> s.part::int ->> 'type' end as type,
        hashtext(coalesce(k.made, k.key) collate "C") as hash, s.position
      from tantamos.run_batch s
      join tantamos.run r on r.id = s.run
      join tantamos.preview p on p.id = r.preview
      join tantamos.batch b on b.preview = r.preview and b.position = s.batch
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), unnest(s.made)) k(key, made)
      where s.run = run_id) k) c
  group by type, chunk;
  update tantamos.run set keys = 'indexed' where id = run_id;
end $$;

/* The stretches of one run that a record may be in; `sorts_as`: its key as it sorts there. */
create function tantamos.stretches_in(run_id uuid, of_type text, key text, sorts_as text)
  returns table ("position" integer) language sql stable rows 1 as $$
  select s.position from tantamos.run r cross join lateral (
    (select f.position from (
       select b.position, b.key_high from tantamos.run_batch b
       where r.keys = 'ordered' and b.run = r.id and b.type = of_type and b.key_low <= sorts_as
       order by b.key_low desc limit 1) f
     where f.key_high >= sorts_as)
    union all
    select distinct i.position from tantamos.run_key k
    cross join lateral rows from (unnest(k.hashes), unnest(k.positions)) i(hash, position)
    where r.keys = 'indexed' and k.run = r.id and k.type = of_type
      and k.high >= hashtext(key collate "C") and k.low <= hashtext(key collate "C") and i.hash = hashtext(key collate "C")
    union all
    select b.position from tantamos.run_batch b
    where r.keys = 'mixed' and b.run = r.id
      and (b.type = of_type and b.key_low <= sorts_as and b.key_high >= sorts_as or b.made is not null)
  ) s
  where r.id = run_id and r.journal_dropped_at is null
$$;

/* The same of all runs, the newest first. */
create function tantamos.stretches_of(of_type text, key text, sorts_as text, most integer)
  returns table (run uuid, "position" integer) language sql stable rows 100 as $$
  select r.id, s.position from tantamos.run r cross join lateral tantamos.stretches_in(r.id, of_type, key, sorts_as) s
  order by r.started_at desc limit most
$$;

/* What was measured beside a run is of use for a month; where records were in it, as long as its journal. */
create function tantamos.drop_old_measures(most integer) returns integer language sql as $$
  with old as (
    delete from tantamos.canary where ctid = any(array(
      select ctid from tantamos.canary where at < now() - interval '30 days' limit most * 100)) returning 1),
  dropped as (
    delete from tantamos.run_key where ctid = any(array(
      select k.ctid from tantamos.run_key k join tantamos.run r on r.id = k.run where r.journal_dropped_at is not null
      limit most * 100)) returning 1)
  select least(most, (select count(*) from old) + (select count(*) from dropped))::int
$$;
