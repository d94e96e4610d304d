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

/* What was measured beside a run is of use for a month. */
create function tantamos.drop_old_measures(most integer) returns integer language sql as $$
  with gone as (
    delete from tantamos.canary where ctid = any(array(
      select ctid from tantamos.canary where at < now() - interval '30 days' limit most * 100)) returning 1)
  select least(most, count(*))::int from gone
$$;

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
