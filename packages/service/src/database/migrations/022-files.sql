-- Files of values: their rows as they stand, what became of each, and how cells are read.

create table tantamos.file (
  id uuid primary key default tantamos.new_id(),
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now(),
  name text not null,
  bytes bigint not null,
  -- format, encoding, separator, sheet …
  manner jsonb not null,
  -- [{name, looks, decimal, order, samples}]
  columns jsonb not null,
  -- [{code, message, count}]
  notes jsonb not null,
  rows integer not null,
  -- what its rows are to do, as it was last said, and what became of them
  plan jsonb,
  report jsonb
);
create index on tantamos.file (made_by, made_at);
-- Without foreign keys, as the lines of lists: written and deleted together, in one place.
create table tantamos.file_row (
  file uuid not null,
  n integer not null,
  -- the line or row that it stands on in the file
  at integer not null,
  cells text[] not null,
  -- why nothing of it can be used
  trouble text,
  primary key (file, n)
);
-- What became of each row under the plan.
create table tantamos.file_fate (
  file uuid not null,
  n integer not null,
  fate text not null check (fate in ('taken', 'blank', 'repeat', 'unknown', 'several', 'twice', 'unfit', 'new', 'same', 'edited_since')),
  reason text,
  key text,
  primary key (file, n)
);
-- Exports whose rows carry a signature: what each record held when it was written, so that a file that comes back changes only
-- what was edited in it.
create table tantamos.export (
  id uuid primary key default tantamos.new_id(),
  made_by uuid not null references tantamos.account on delete cascade,
  made_at timestamptz not null default now(),
  type text not null,
  fields text[] not null,
  rows integer not null default 0
);
create index on tantamos.export (made_by, made_at);
create table tantamos.export_row (
  export uuid not null,
  key text not null,
  -- of each field, as the database writes it
  stored text[] not null,
  -- the same as the file shows it: names of what is pointed at, labels of choices
  shown text[] not null,
  primary key (export, key)
);
-- A list that was made of a file says of which.
alter table tantamos.list add file uuid;

-- A number as people write it: with signs of currencies, and thousands parted. Null where it is none.
create function tantamos.read_number(said text, decimal_mark text) returns numeric
language sql immutable parallel safe as $$
  select case when length(plain) <= 200 and plain ~ '^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?$' then plain::numeric end
  from (
    select case decimal_mark
      -- What is left of points parts no thousands: then it is no number so written.
      when ',' then translate(regexp_replace(bare, '(?<=\d)[.''’  ](?=\d{3}(\D|$))', '', 'g'), '.,', 'x.')
      else regexp_replace(bare, '(?<=\d)[,''’  ](?=\d{3}(\D|$))', '', 'g') end as plain
    from (select regexp_replace(replace(replace(said, E'\u00a0', ' '), E'\u202f', ' '), '^([+-]?)\s*[€$£]\s*|\s*[€$£]$', '\1') as bare) b) p
$$;

create function tantamos.read_yes_no(said text) returns boolean
language sql immutable parallel safe as $$
  select case
    when lower(said) in ('yes', 'y', 'true', 't', '1', 'on', 'x', 'ja', 'j', 'oui', 'si', 'sí', 'wahr', 'vrai') then true
    when lower(said) in ('no', 'n', 'false', 'f', '0', 'off', '-', 'nein', 'non', 'falsch', 'faux') then false end
$$;

-- A day that there is; null otherwise.
create function tantamos.day_of(y integer, m integer, d integer) returns date
language sql immutable parallel safe as $$
  select case when y between 1 and 9999 and m between 1 and 12 and d between 1 and 31 then
    case when d <= extract(day from make_date(y, m, 1) + interval '1 month - 1 day') then make_date(y, m, d) end end
$$;

-- A date as people write it: 2026-05-01, 1.5.2026, 5/1/26, 1 May 2026; `day_order`: dmy or mdy, of those without the year first.
create function tantamos.read_date(said text, day_order text) returns date
language sql immutable parallel safe as $$
  select case
    when said ~ '^\d{4}[-/.]\d{1,2}[-/.]\d{1,2}([ T]0{1,2}:00(:00(\.0+)?)?)?$' then (
      select tantamos.day_of(p[1]::int, p[2]::int, p[3]::int) from regexp_match(said, '^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})') p)
    when said ~ '^\d{1,2}[-/.]\d{1,2}[-/.](\d{4}|\d{2})([ T]0{1,2}:00(:00)?)?$' then (
      select tantamos.day_of(
        case when length(p[3]) = 4 then p[3]::int when p[3]::int < 70 then 2000 + p[3]::int else 1900 + p[3]::int end,
        case day_order when 'mdy' then p[1]::int else p[2]::int end,
        case day_order when 'mdy' then p[2]::int else p[1]::int end)
      from regexp_match(said, '^(\d{1,2})[-/.](\d{1,2})[-/.](\d{2,4})') p)
    when said ~* '^\d{1,2}\.?[ -](jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.?,?[ -]\d{4}$' then (
      select tantamos.day_of(p[3]::int, (position(lower(p[2]) in 'janfebmaraprmayjunjulaugsepoctnovdec') + 2) / 3, p[1]::int)
      from regexp_match(said, '^(\d{1,2})\.?[ -]([a-zA-Z]{3})[a-zA-Z]*\.?,?[ -](\d{4})$') p)
    when said ~* '^(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.? \d{1,2},? \d{4}$' then (
      select tantamos.day_of(p[3]::int, (position(lower(p[1]) in 'janfebmaraprmayjunjulaugsepoctnovdec') + 2) / 3, p[2]::int)
      from regexp_match(said, '^([a-zA-Z]{3})[a-zA-Z]*\.? (\d{1,2}),? (\d{4})$') p)
  end
$$;

-- A moment: a date as above and a time of day, with an offset or as the clocks of `zone` show it.
create function tantamos.read_moment(said text, day_order text, zone text) returns timestamptz
language sql stable parallel safe as $$
  select case
    when p is null then null
    when coalesce(p[2]::int, 0) > 23 or coalesce(p[3]::int, 0) > 59 or coalesce(p[4]::int, 0) > 59 then null
    when p[6] is null then (d + t) at time zone zone
    when upper(p[6]) = 'Z' then (d + t) at time zone 'UTC'
    when substr(p[6], 2, 2)::int > 15 then null
    else (d + t - case when p[6] like '-%' then -o else o end) at time zone 'UTC' end
  from regexp_match(said, '^(.*?\d)(?:[ T,]+(\d{1,2}):(\d{2})(?::(\d{2})(\.\d{1,6})?)?)?\s*(Z|[+-]\d{2}:?\d{2})?$', 'i') p
  cross join lateral (select tantamos.read_date(p[1], day_order) as d,
    make_interval(hours => least(coalesce(p[2]::int, 0), 24), mins => least(coalesce(p[3]::int, 0), 60),
      secs => least(coalesce(p[4]::int, 0), 60) + coalesce(p[5], '0')::numeric::float8) as t,
    case when p[6] ~ '^[+-]\d{2}:?\d{2}$' then make_interval(hours => substr(p[6], 2, 2)::int, mins => right(p[6], 2)::int) end as o) w
$$;
