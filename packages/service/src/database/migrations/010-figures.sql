-- What a preview says of its values as a whole: see previews/figures.ts.

alter table tantamos.preview add figures jsonb not null default '{"fields": [], "loads": []}';

-- What many records are not allowed for is one reason, though each is told its own value: the reason without the values.
create function tantamos.reason_of(cause text) returns text language sql immutable parallel safe
  return regexp_replace(regexp_replace(regexp_replace(regexp_replace(cause,
    '“[^”]*”', '“…”', 'g'),
    '; (this has )?-?[0-9.]+', '; \1…'),
    ' key .+ already', ' key … already'),
    ' there [0-9]+ times', ' there … times');
