-- What the expression language needs of the database: functions that are total (blank where there is no result) and
-- that give just what the evaluator of the core gives. The core's functions/ says what each one means.

alter table tantamos.workspace add time_zone text not null default 'UTC';

-- Numbers: below 10^100, 30 digits after the point at most; NaN and the infinities are no numbers here.
create function tantamos.bounded(x numeric) returns numeric language sql immutable parallel safe
  return case when abs(x) < 1e100 then case when scale(x) <= 30 then x else round(x, 30) end end;

create function tantamos.to_number(said text) returns numeric language plpgsql immutable parallel safe as $$
begin
  if length(said) > 1000 or btrim(said, E' \t\n\r\f\v\u00a0') !~ '^[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]{1,3})?$'
    or length(btrim(said, E' \t\n\r\f\v\u00a0')) > 200 then
    return null;
  end if;
  return tantamos.bounded(btrim(said, E' \t\n\r\f\v\u00a0')::numeric);
exception when others then
  return null;
end $$;

create function tantamos.plus(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return tantamos.bounded(a + b);
create function tantamos.minus(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return tantamos.bounded(a - b);
create function tantamos.times(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return tantamos.bounded(a * b);
-- Rounded half away from zero at 16 digits, from 17 that are exact.
create function tantamos.divide(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return case when b <> 0 then tantamos.bounded(round(div(a * 1e17, b) * 1e-17, 16)) end;
create function tantamos.whole_quotient(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return case when b <> 0 then tantamos.bounded(div(a, b)) end;
create function tantamos.remainder(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return case when b <> 0 then tantamos.bounded(a - b * div(a, b)) end;
create function tantamos.modulo(a numeric, b numeric) returns numeric language sql immutable parallel safe
  return case when b <> 0 then tantamos.bounded(
    a - b * div(a, b) + case when a - b * div(a, b) = 0 or (a - b * div(a, b) > 0) = (b > 0) then 0 else b end) end;
create function tantamos.power(a numeric, b numeric) returns numeric language plpgsql immutable parallel safe as $$
declare
  result numeric := 1;
begin
  if a is null or b is null or b <> trunc(b) or abs(b) > 100 then
    return null;
  end if;
  for i in 1 .. abs(b)::int loop
    result := tantamos.bounded(result * a);
    exit when result is null;
  end loop;
  return case when b >= 0 then result else tantamos.divide(1, result) end;
end $$;

create function tantamos.places(digits numeric) returns integer language sql immutable parallel safe
  return trunc(greatest(-100, least(30, digits)))::int;
create function tantamos.round_near(x numeric, digits numeric) returns numeric language sql immutable parallel safe
  return case when x is not null and digits is not null then tantamos.bounded(round(x, tantamos.places(digits))) end;
create function tantamos.round_down(x numeric, digits numeric) returns numeric language sql immutable parallel safe
  return case when x is not null and digits is not null then trunc(x, tantamos.places(digits)) end;
create function tantamos.round_up(x numeric, digits numeric) returns numeric language sql immutable parallel safe
  return case when x is not null and digits is not null then tantamos.bounded(trunc(x, tantamos.places(digits)) +
    case when trunc(x, tantamos.places(digits)) = x then 0
      else sign(x) * ('1e' || (-tantamos.places(digits)))::numeric end) end;

-- A number small enough to count characters or days with: total, since the planner may work it out beforehand even
-- where a CASE would not come to it.
create function tantamos.countable(x numeric) returns integer language sql immutable parallel safe
  return case when x is not null then trunc(greatest(-2e9, least(2e9, x)))::int end;

-- Texts: characters are code points; what grows beyond 1,000,000 of them is blank.
create function tantamos.bounded(said text) returns text language sql immutable parallel safe
  return case when char_length(said) <= 1000000 then said end;
create function tantamos.lower(said text) returns text language sql immutable parallel safe
  return lower(said collate "und-x-icu") collate "C";
create function tantamos.upper(said text) returns text language sql immutable parallel safe
  return upper(said collate "und-x-icu") collate "C";
create function tantamos.without_marks(said text) returns text language sql immutable parallel safe
  return normalize(regexp_replace(normalize(said, nfd),
    '[\u0300-\u036f\u1ab0-\u1aff\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f]', '', 'g'), nfc) collate "C";
create function tantamos.trim(said text) returns text language sql immutable parallel safe
  return btrim(regexp_replace(said, ' +', ' ', 'g'), ' ');
create function tantamos.proper(said text) returns text language sql immutable parallel safe
  return case when said = '' then said when said is not null then (
    select string_agg(upper(left(m[1], 1) collate "und-x-icu") || substr(m[1], 2), '' order by n) collate "C"
    from regexp_matches(lower(said collate "und-x-icu"), '[[:alpha:]]+|[^[:alpha:]]+', 'g') with ordinality w(m, n)) end;
create function tantamos.part(said text, start numeric, length numeric) returns text
  language sql immutable parallel safe
  return case when tantamos.countable(start) >= 1 and tantamos.countable(length) >= 0 then
    substr(said, least(tantamos.countable(start), 1000000000), least(tantamos.countable(length), 1000000000)) end;
create function tantamos.right_part(said text, length numeric) returns text language sql immutable parallel safe
  return case when tantamos.countable(length) >= 0 then right(said, tantamos.countable(length)) end;
create function tantamos.substitute(said text, old text, now text) returns text language plpgsql immutable parallel safe as $$
declare
  places bigint;
begin
  if said is null or old is null or now is null or old = '' then
    return case when now is not null and old is not null then said end;
  end if;
  places := (char_length(said) - char_length(replace(said, old, ''))) / char_length(old);
  if char_length(said) + places * (char_length(now) - char_length(old)) > 1000000 then
    return null;
  end if;
  return replace(said, old, now);
end $$;
create function tantamos.substitute(said text, old text, now text, which numeric) returns text
  language plpgsql immutable parallel safe as $$
declare
  n integer := tantamos.countable(which);
  at integer := 1;
  found integer;
  places bigint;
begin
  if said is null or old is null or now is null or n is null or n < 1 then
    return null;
  end if;
  if old = '' then
    return said;
  end if;
  places := (char_length(said) - char_length(replace(said, old, ''))) / char_length(old);
  if char_length(said) + places * (char_length(now) - char_length(old)) > 1000000 then
    return null;
  end if;
  if n > places then
    return said;
  end if;
  for i in 1 .. n loop
    found := strpos(substr(said, at), old);
    if i < n then
      at := at + found - 1 + char_length(old);
    else
      at := at + found - 1;
    end if;
  end loop;
  return left(said, at - 1) || now || substr(said, at + char_length(old));
end $$;
create function tantamos.pad(said text, length numeric, fill text) returns text language sql immutable parallel safe
  return case when tantamos.countable(length) <= 1000000 and char_length(fill) = 1 then
    repeat(fill, greatest(0, tantamos.countable(length) - char_length(said))) || said end;
create function tantamos.starts_with(said text, part text) returns boolean language sql immutable parallel safe
  return starts_with(said, part);
create function tantamos.ends_with(said text, part text) returns boolean language sql immutable parallel safe
  return right(said, char_length(part)) = part collate "C";
create function tantamos.contains(said text, part text) returns boolean language sql immutable parallel safe
  return strpos(said collate "C", part) > 0;

create function tantamos.as_text(x numeric) returns text language sql immutable parallel safe
  return trim_scale(x)::text collate "C";
create function tantamos.as_text(x text) returns text language sql immutable parallel safe
  return x;
create function tantamos.as_text(x boolean) returns text language sql immutable parallel safe
  return x::text collate "C";
create function tantamos.as_text(x date) returns text language sql immutable parallel safe
  return to_char(x, 'YYYY-MM-DD') collate "C";
create function tantamos.as_text(x timestamptz) returns text language sql immutable parallel safe
  return to_char(x at time zone 'UTC', 'YYYY-MM-DD HH24:MI:SS')
    || regexp_replace(to_char(x at time zone 'UTC', '.US'), '\.?0+$', '') || '+00';

create function tantamos.is_blank(x anyelement) returns boolean language sql immutable parallel safe
  as $$ select x is null $$;
create function tantamos.is_blank(x text) returns boolean language sql immutable parallel safe
  return x is null or x = '';

-- Dates: the years 0001 to 9999; whatever would lead out of them is blank.
create function tantamos.bounded(d date) returns date language sql immutable parallel safe
  return case when d between date '0001-01-01' and date '9999-12-31' then d end;
create function tantamos.day_plus(d date, days numeric) returns date language sql immutable parallel safe
  return case when abs(days) <= 4000000 and d between date '0001-01-01' and date '9999-12-31' then
    case when (d - date '0001-01-01') + trunc(days) between 0 and 3652058 then d + tantamos.countable(days) end end;
create function tantamos.moment_of(micros bigint) returns timestamptz language sql immutable parallel safe
  return timestamptz '1970-01-01T00:00Z' + (micros / 86400000000) * interval '24 hours'
    + (micros % 86400000000) * interval '1 microsecond';
create function tantamos.to_date(said text) returns date language plpgsql immutable parallel safe as $$
begin
  if length(said) > 100 or btrim(said, E' \t\n\r\f\v\u00a0') !~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$' then
    return null;
  end if;
  return make_date(left(btrim(said, E' \t\n\r\f\v\u00a0'), 4)::int, substr(btrim(said, E' \t\n\r\f\v\u00a0'), 6, 2)::int,
    right(btrim(said, E' \t\n\r\f\v\u00a0'), 2)::int);
exception when others then
  return null;
end $$;
create function tantamos.weekday(d date, type numeric) returns numeric language sql immutable parallel safe
  return case trunc(type) when 1 then extract(dow from d) + 1 when 2 then extract(isodow from d)
    when 3 then extract(isodow from d) - 1 end;
create function tantamos.months_on(d date, months numeric) returns date language sql immutable parallel safe
  return case when (extract(year from d) * 12 + extract(month from d) - 1 + trunc(greatest(-1e7, least(1e7, months))))
      between 12 and 119999
    then (d + make_interval(months => tantamos.countable(months)))::date end;
create function tantamos.month_end(d date, months numeric) returns date language sql immutable parallel safe
  return (tantamos.months_on(date_trunc('month', d::timestamp)::date, months)::timestamp + interval '1 month - 1 day')::date;
create function tantamos.date_difference(a date, b date, unit text) returns numeric
  language plpgsql immutable parallel safe as $$
declare
  months integer;
begin
  if a is null or b is null or a > b then
    return null;
  end if;
  months := (extract(year from b) - extract(year from a)) * 12 + extract(month from b) - extract(month from a)
    - case when extract(day from b) < extract(day from a) then 1 else 0 end;
  return case unit when 'y' then months / 12 when 'm' then months when 'd' then b - a when 'ym' then months % 12
    when 'md' then b - tantamos.months_on(a, months) when 'yd' then b - tantamos.months_on(a, months / 12 * 12) end;
end $$;
create function tantamos.start_of(d date, unit text) returns date language sql immutable parallel safe
  return tantamos.bounded(case unit when 'week' then d - extract(isodow from d)::int + 1
    else date_trunc(unit, d::timestamp)::date end);
create function tantamos.next_weekday(d date, weekday text) returns date language sql immutable parallel safe
  return tantamos.bounded(d + (array_position(
    array['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'], weekday)
    - extract(isodow from d)::int + 6) % 7 + 1);

-- Working days up to and with a day, counted from Monday 1970-01-05 on.
create function tantamos.weekdays_to(d date) returns integer language sql immutable parallel safe
  return floor((d - date '1970-01-05') / 7.0)::int * 5
    + least(d - date '1970-01-05' - floor((d - date '1970-01-05') / 7.0)::int * 7 + 1, 5);
create function tantamos.working_days(a date, b date, holidays date[]) returns numeric
  language sql immutable parallel safe
  return case when a is not null and b is not null and holidays is not null then
    (case when a <= b then 1 else -1 end) * (tantamos.weekdays_to(greatest(a, b)) - tantamos.weekdays_to(least(a, b) - 1)
      - (select count(distinct h) from unnest(holidays) h
         where h between least(a, b) and greatest(a, b) and extract(isodow from h) < 6))::numeric end;
create function tantamos.workday(d date, days numeric, holidays date[]) returns date
  language plpgsql immutable parallel safe as $$
declare
  direction integer := case when days < 0 then -1 else 1 end;
  left_over integer := abs(tantamos.countable(days));
  at date := d;
  weeks integer;
begin
  if d is null or days is null or holidays is null or left_over > 1000000
    or d not between date '0001-01-01' and date '9999-12-31' then
    return null;
  end if;
  while left_over > 0 loop
    weeks := (left_over - 1) / 5;
    if weeks > 0 and extract(isodow from at) < 6 and not exists (select from unnest(holidays) h
        where h between least(at, at + direction * weeks * 7) and greatest(at, at + direction * weeks * 7)
          and extract(isodow from h) < 6) then
      at := at + direction * weeks * 7;
      left_over := left_over - weeks * 5;
    end if;
    loop
      at := at + direction;
      exit when extract(isodow from at) < 6 and not at = any (array_remove(holidays, null));
    end loop;
    left_over := left_over - 1;
    if at not between date '0001-01-01' - 365 and date '9999-12-31' + 366 then
      return null;
    end if;
  end loop;
  return tantamos.bounded(at);
end $$;

-- A day's room at both ends, so that no time zone leads out of the years 0001 to 9999.
create function tantamos.bounded(m timestamptz) returns timestamptz language sql immutable parallel safe
  return case when m between timestamptz '0001-01-02T00:00Z' and timestamptz '9999-12-31T00:00Z' then m end;
