-- The lowest and the highest key of a batch, as `tantamos.sortable` gives them: known when it is frozen, so that laying out a
-- run need not look at every key. Null of what was frozen before.
alter table tantamos.batch add column key_low text collate "C", add column key_high text collate "C";
