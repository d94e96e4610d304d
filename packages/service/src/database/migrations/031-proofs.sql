-- What all the records of a batch together are, have and become: who works out the same may write them without looking at each.
alter table tantamos.batch_place add column proof bigint;
