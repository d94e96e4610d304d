-- How many records each part of a preview would change: what a type allows in one run is asked of its own parts.
alter table tantamos.preview add part_changes integer[];
