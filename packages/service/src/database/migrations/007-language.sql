-- What the expression language says as its standards and people do. The core's functions/ says what each one means.

-- Full case folding (Unicode, C + F): through capitals and back, so that ß is ss and a ligature its letters; one sigma,
-- wherever it stands. The dotless i has no other case there, so it goes round as another letter.
create function tantamos.fold_case(said text) returns text language sql immutable parallel safe
  return replace(lower(upper(lower(replace(said, U&'\0131', U&'\F131') collate "und-x-icu") collate "und-x-icu")
    collate "und-x-icu"), U&'\03C2', U&'\03C3') collate "C";

-- The number a text says, a percentage among them.
create function tantamos.value_of(said text) returns numeric language plpgsql immutable parallel safe as $$
declare
  bare text := rtrim(said, E' \t\n\r\f\v\u00a0');
begin
  if right(bare, 1) = '%' then
    return tantamos.bounded(tantamos.to_number(rtrim(left(bare, -1), E' \t\n\r\f\v\u00a0')) / 100);
  end if;
  return tantamos.to_number(said);
end $$;

-- A word is letters and digits, with apostrophes between them; behind a single letter and an apostrophe a name begins anew.
create or replace function tantamos.proper(said text) returns text language sql immutable parallel safe
  return case when said = '' then said when said is not null then (
    select string_agg(upper(left(m[1], 1) collate "und-x-icu") || case
        when m[1] ~ ('^[[:alpha:]][''' || U&'\2019' || '][[:alpha:]]{3}')
        then substr(m[1], 2, 1) || upper(substr(m[1], 3, 1) collate "und-x-icu") || substr(m[1], 4)
        else substr(m[1], 2) end, '' order by n) collate "C"
    from regexp_matches(lower(said collate "und-x-icu"),
      '[[:alnum:]]+(?:[''' || U&'\2019' || '][[:alnum:]]+)*|[^[:alnum:]]+', 'g') with ordinality w(m, n)) end;
