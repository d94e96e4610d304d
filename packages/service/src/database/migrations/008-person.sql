-- How a person reads numbers, dates and moments (BCP 47); null: as the browser has it.
alter table tantamos.account add locale text check (length(locale) <= 35);
