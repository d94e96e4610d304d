-- Values that are kept before a job is said, piece by piece: how many there are by now and, of a map, the path of the field
-- whose values they are looked up by (null: the key of the record). What a value becomes may be blank.

alter table tantamos.given
  add source text,
  add count bigint not null default 0;
alter table tantamos.given_value alter value drop not null;
