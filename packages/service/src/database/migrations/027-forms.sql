-- Left out of the form for several records, unless a rule asks for it.
alter table tantamos.field_setting add left_out boolean not null default false;
