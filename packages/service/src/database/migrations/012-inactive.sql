-- May records that are not active any more be chosen at all?

alter table tantamos.type_setting add refuses_inactive boolean not null default false;

-- A number as people read it: so many decimals at least, thousands apart from so many digits on, a decimal mark.
create function tantamos.grouped(n numeric, decimals integer, between_ text, mark text, from_ integer) returns text
  language sql immutable strict parallel safe
  return (
    select case when n < 0 then '-' else '' end
      || case when length(p.whole) < from_ then p.whole
        else reverse(regexp_replace(reverse(p.whole), '(\d{3})(?=\d)', '\1' || reverse(replace(between_, '\', '\\')), 'g')) end
      || case when p.fraction = '' and decimals = 0 then '' else mark || rpad(p.fraction, greatest(decimals, length(p.fraction)), '0') end
    from (select split_part(t, '.', 1) as whole, split_part(t, '.', 2) as fraction from (select trim_scale(abs(n))::text as t) d) p);
