-- Which field says that a record, such as a person who left, is not to be chosen any more.

alter table tantamos.type_setting add active_field text;
