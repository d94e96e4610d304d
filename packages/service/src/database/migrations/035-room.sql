-- How much may be kept: gigabytes of journals. How many of each other thing is in the program (storage/room.ts).
alter table tantamos.workspace add column journal_gb integer not null default 50 check (journal_gb between 1 and 100000);
create index on tantamos.saved_selection (owner);
create index on tantamos.saved_job (owner);
create index on tantamos.preset (saved_by);
