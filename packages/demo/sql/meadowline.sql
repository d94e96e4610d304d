-- Meadowline, a made-up firm that rents bee hives to orchards for pollination.

create type crop as enum ('apple', 'pear', 'cherry', 'plum', 'almond', 'apricot', 'peach', 'quince', 'blackcurrant',
  'raspberry', 'blueberry', 'gooseberry', 'strawberry', 'pumpkin', 'courgette', 'rapeseed', 'sunflower', 'buckwheat',
  'clover', 'lavender', 'borage', 'phacelia', 'field_bean', 'alfalfa', 'mustard', 'melon', 'cucumber', 'hazel',
  'chestnut', 'lime');

create function stamp_updated_at() returns trigger language plpgsql as $$
begin
  new.updated_at := now();
  return new;
end $$;

create table staff (
  id integer primary key,
  name varchar(80) not null,
  email varchar(120) not null unique,
  role text not null check (role in ('sales', 'beekeeper', 'inspector', 'finance', 'office')),
  lead integer references staff,
  valley text check (valley in ('north', 'south', 'east', 'west', 'high')),
  active boolean not null default true,
  leaves_on date,
  starts_at time
);
comment on table staff is 'People who work at Meadowline.';
comment on column staff.name is 'First and last name; two people may have the same.';
comment on column staff.lead is 'The person this one reports to.';
comment on column staff.leaves_on is 'Last working day, once it is known.';

create table growers (
  id integer primary key,
  code varchar(12) not null unique,
  name varchar(120) not null,
  parent integer references growers,
  owner integer references staff,
  kind text not null check (kind in ('orchard', 'cooperative', 'nursery', 'reseller')),
  status text not null check (status in ('prospect', 'active', 'dormant', 'closed')),
  valley text not null check (valley in ('north', 'south', 'east', 'west', 'high')),
  region varchar(40),
  organic boolean not null default false,
  priority smallint check (priority between 1 and 5),
  credit_limit numeric(10,2) not null default 0,
  tags text[] not null default '{}',
  customer_since date,
  note text,
  updated_at timestamptz not null default now()
);
comment on table growers is 'Customers: orchards, nurseries and the co-operatives they belong to.';
comment on column growers.parent is 'The co-operative this grower is a member of.';
comment on column growers.owner is 'Who answers for this grower.';
comment on column growers.kind is 'A co-operative has members; status and kind should agree.';
create index on growers (parent);
create index on growers (owner);

create table contacts (
  id integer primary key,
  grower integer not null references growers,
  name varchar(80) not null,
  email varchar(120),
  phone varchar(30),
  wants_mail boolean,
  mail_preference text check (mail_preference in ('all', 'season_only', 'none')),
  position varchar(60),
  owner integer references staff,
  source text check (source in ('fair', 'recommendation', 'website', 'phone')),
  created_on date,
  updated_at timestamptz not null default now()
);
comment on table contacts is 'People at growers.';
comment on column contacts.wants_mail is 'The old yes/no flag; mail preference takes its place.';
comment on column contacts.owner is 'Who answers for this contact.';
comment on column contacts.source is 'How this person came to us.';
comment on column contacts.mail_preference is 'What this person wants to be sent.';
create index on contacts (grower);

create table sites (
  id integer primary key,
  code varchar(12) not null unique,
  grower integer not null references growers,
  name varchar(120) not null,
  crop crop not null,
  valley text not null check (valley in ('north', 'south', 'east', 'west', 'high')),
  hectares numeric(8,2) not null check (hectares > 0),
  access_note text,
  updated_at timestamptz not null default now()
);
comment on table sites is 'Places where hives stand during bloom.';
comment on column sites.name is 'As the grower wrote it: with slips and double spaces.';
create index on sites (grower);

create table hives (
  id integer primary key,
  code varchar(12) not null unique,
  site integer references sites,
  owner integer references staff,
  state text not null check (state in ('ready', 'placed', 'resting', 'retired')),
  frame_size text check (frame_size in ('shallow', 'medium', 'deep')),
  strength smallint not null constraint hives_strength_range check (strength between 0 and 10),
  built_on date not null,
  updated_at timestamptz not null default now()
);
comment on table hives is 'Hives and the colonies in them.';
comment on column hives.frame_size is 'Added last spring; blank on older hives.';
comment on column hives.strength is 'Colony strength, 0 to 10.';
comment on constraint hives_strength_range on hives is 'Strength goes from 0 to 10.';

create table bookings (
  id integer primary key,
  reference varchar(12) not null unique,
  grower integer not null references growers,
  site integer references sites,
  owner integer references staff,
  status text not null check (status in ('draft', 'confirmed', 'placed', 'collected', 'cancelled')),
  valley text not null check (valley in ('north', 'south', 'east', 'west', 'high')),
  region varchar(40),
  crop crop not null,
  hives integer not null,
  start_on date not null,
  end_on date not null,
  price_per_hive numeric(8,2) not null,
  total numeric(12,2) generated always as (hives * price_per_hive) stored,
  wants_water boolean not null default false,
  promotion_code varchar(20),
  discount_percent numeric(5,2) check (discount_percent between 0 and 100),
  note text,
  updated_at timestamptz not null default now(),
  constraint bookings_some_hives check (hives > 0),
  constraint bookings_dates_in_order check (end_on >= start_on)
);
comment on table bookings is 'Hives rented by a grower for a bloom.';
comment on column bookings.promotion_code is 'As it was typed at the fair; it gives the discount beside it.';
comment on column bookings.owner is 'Who answers for this booking.';
comment on column bookings.region is 'Sales region; left blank by the old entry form.';
comment on column bookings.total is 'Hives times price, worked out by the database.';
comment on constraint bookings_some_hives on bookings is 'A booking is for at least one hive.';
comment on constraint bookings_dates_in_order on bookings is 'A booking cannot end before it starts.';
create index on bookings (grower);
create index on bookings (owner);
create index on bookings (status, valley);

create table placements (
  booking integer references bookings,
  hive integer references hives,
  placed_on date not null,
  primary key (booking, hive)
);
comment on table placements is 'Which hive stood where for which booking.';

create table inspections (
  id integer primary key,
  hive integer not null references hives,
  booking integer references bookings,
  inspector integer references staff,
  state text not null check (state in ('planned', 'waiting', 'done', 'void')),
  waiting_reason varchar(80),
  inspected_on date,
  brood_frames smallint,
  mites_per_hundred numeric(5,2),
  found text,
  updated_at timestamptz not null default now(),
  constraint inspections_waiting_says_why check (state <> 'waiting' or waiting_reason is not null)
);
comment on table inspections is 'Visits to a hive.';
comment on constraint inspections_waiting_says_why on inspections is 'An inspection that waits needs a reason.';

create table invoices (
  id integer primary key,
  number varchar(14) not null unique,
  grower integer not null references growers,
  booking integer references bookings,
  owner integer references staff,
  state text not null check (state in ('open', 'paid', 'overdue', 'written_off')),
  dunning_level smallint not null default 0 check (dunning_level between 0 and 3),
  net numeric(12,2) not null,
  vat numeric(12,2) not null,
  gross numeric(12,2) generated always as (net + vat) stored,
  issued_on date not null,
  due_on date not null,
  paid_at timestamptz,
  updated_at timestamptz not null default now()
);
comment on table invoices is 'What growers owe.';
comment on column invoices.dunning_level is 'Reminders sent so far; only the nightly import sets it.';

create table listings (
  id integer primary key,
  slug varchar(60) not null unique,
  crop crop not null,
  valley text not null check (valley in ('north', 'south', 'east', 'west', 'high')),
  owner integer references staff,
  headline varchar(80) not null,
  body text,
  published boolean not null default false,
  updated_at timestamptz not null default now(),
  unique (crop, valley)
);
comment on table listings is 'Public web pages, one for each crop and valley.';

create table tasks (
  id integer primary key,
  subject varchar(120) not null,
  owner integer references staff,
  state text not null check (state in ('open', 'done')),
  due_on date,
  grower integer references growers,
  contact integer references contacts,
  site integer references sites,
  hive integer references hives,
  booking integer references bookings,
  inspection integer references inspections,
  invoice integer references invoices,
  updated_at timestamptz not null default now(),
  constraint tasks_one_parent check (num_nonnulls(grower, contact, site, hive, booking, inspection, invoice) = 1)
);
comment on table tasks is 'Something to do about one record.';
comment on constraint tasks_one_parent on tasks is 'A task belongs to exactly one record.';

create table remarks (
  id integer primary key,
  body text not null,
  author integer references staff,
  written_at timestamptz not null,
  grower integer references growers,
  contact integer references contacts,
  site integer references sites,
  hive integer references hives,
  booking integer references bookings,
  inspection integer references inspections,
  invoice integer references invoices,
  constraint remarks_one_parent check (num_nonnulls(grower, contact, site, hive, booking, inspection, invoice) = 1)
);
comment on table remarks is 'Something said about one record.';
comment on constraint remarks_one_parent on remarks is 'A remark belongs to exactly one record.';

create table certificates (
  id integer primary key,
  name varchar(60) not null unique,
  about text
);
comment on table certificates is 'What a grower can be certified for.';

create table grower_certificates (
  grower integer references growers on delete cascade,
  certificate integer references certificates,
  since date,
  primary key (grower, certificate)
);
comment on table grower_certificates is 'Which grower holds which certificates.';
create index on grower_certificates (certificate);
