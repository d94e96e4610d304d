-- May records that are not active any more be chosen at all?

alter table tantamos.type_setting add refuses_inactive boolean not null default false;
