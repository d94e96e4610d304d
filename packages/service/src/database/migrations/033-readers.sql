-- What is kept is shown with the reader's rights at the time of reading. Null in both: made by an earlier version.
-- `named`: the sentence as a list of texts and of the records it names ({type, key, name}).
-- `row_limits`: by type, which records the maker of the preview saw, where that was not all of them.
alter table tantamos.preview add column named jsonb, add column row_limits jsonb;
alter table tantamos.kept_counts add column row_limits jsonb;
