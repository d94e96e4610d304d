-- The order in which the fields of a type stand in forms and lists; those that are not named come after, as the database has them.

alter table tantamos.type_setting add field_order text[];
