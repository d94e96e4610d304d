-- What a preview says of its values as a whole: see previews/figures.ts.

alter table tantamos.preview add figures jsonb not null default '{"fields": [], "loads": []}';
