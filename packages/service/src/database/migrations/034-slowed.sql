-- After some wrong passwords, the next one is tried only a while after the last; who has none for long begins again.
alter table tantamos.wrong_password add column last_at timestamptz not null default now();
