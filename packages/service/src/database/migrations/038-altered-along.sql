-- Related records that the database stored otherwise than they were written: [{field, count, keys (examples)}].
alter table tantamos.run_along add column altered jsonb;
