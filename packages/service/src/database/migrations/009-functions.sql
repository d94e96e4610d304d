-- What is read from texts, without catching errors: a subtransaction may not begin where the database works in parallel.

create or replace function tantamos.to_number(said text) returns numeric language plpgsql immutable parallel safe as $$
declare
  bare text;
begin
  if said is null or length(said) > 1000 then
    return null;
  end if;
  bare := btrim(said, E' \t\n\r\f\v\u00a0');
  if length(bare) > 200 or bare !~ '^[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]{1,3})?$' then
    return null;
  end if;
  return tantamos.bounded(bare::numeric);
end $$;

create or replace function tantamos.to_date(said text) returns date language plpgsql immutable parallel safe as $$
declare
  bare text;
  y int;
  m int;
  d int;
begin
  if said is null or length(said) > 100 then
    return null;
  end if;
  bare := btrim(said, E' \t\n\r\f\v\u00a0');
  if bare !~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$' then
    return null;
  end if;
  y := left(bare, 4)::int;
  m := substr(bare, 6, 2)::int;
  d := right(bare, 2)::int;
  if y < 1 or m not between 1 and 12 or d < 1
    or d > extract(day from make_date(y, m, 1) + interval '1 month' - interval '1 day') then
    return null;
  end if;
  return make_date(y, m, d);
end $$;

-- What PostgreSQL does itself is no longer asked of functions of ours.
drop function tantamos.is_blank(anyelement);
drop function tantamos.is_blank(text);
drop function tantamos.modulo(numeric, numeric);
drop function tantamos.starts_with(text, text);
drop function tantamos.ends_with(text, text);
drop function tantamos.contains(text, text);
drop function tantamos.start_of(date, text);
drop function tantamos.next_weekday(date, text);
