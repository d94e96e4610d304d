-- What each part of a run comes to: records are counted by what was done to them, part by part.
alter table tantamos.run add column part_totals jsonb;

create function tantamos.part_totals(of_run uuid) returns jsonb language sql stable
begin atomic
  select jsonb_agg(to_jsonb(t) order by t.part) from (
    select b.part, sum(b.high - b.low)::int as matched, sum(b.changed)::int as changed, sum(b.already_right)::int as already_right,
      sum(b.not_allowed)::int as not_allowed, sum(b.edited_since)::int as edited_since, sum(b.refused)::int as refused,
      sum(b.in_use)::int as in_use, sum(b.gone)::int as gone, sum(b.not_yet)::int as not_yet
    from tantamos.run_batch b where b.run = of_run group by b.part) t;
end;

update tantamos.run set part_totals = tantamos.part_totals(id);
