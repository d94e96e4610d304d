-- A run whose pace nobody has said finds its own.
alter table tantamos.run alter column pace drop not null;
-- Others write just now, and it waits for them.
alter table tantamos.run add column gives_way boolean not null default false;
