-- Which field says that a record, such as a person who left, is not to be chosen any more; and what made-up values are drawn from.

alter table tantamos.type_setting add active_field text;

-- Is a text JSON that the database keeps?
create function tantamos.is_json(said text) returns boolean language plpgsql immutable parallel safe as $$
begin
  perform said::jsonb;
  return true;
exception when others then
  return false;
end $$;

-- A whole number from 0 up, below the one given, that a text decides: of its SHA-256 digest the first 60 bits.
create function tantamos.drawn(said text, below bigint) returns bigint language sql immutable parallel safe
  return ('x' || left(encode(sha256(convert_to(said, 'UTF8')), 'hex'), 15))::bit(60)::bigint % below;

create function tantamos.made_up(list text) returns text[] language sql immutable parallel safe
  return case list
    when 'first' then '{
    Adela, Alaric, Amity, Ansel, Aurel, Beatrix, Benno, Briar, Caspian, Cecily, Clement, Corwin, Dahlia, Damian, Delphine, Edmund,
    Eliora, Emeric, Esme, Evander, Fabian, Faye, Felix, Flora, Gareth, Gemma, Gideon, Hazel, Hector, Helena, Ilona, Imogen, Ivo, Jasper,
    Juno, Kaia, Kilian, Lavinia, Leander, Lorena, Lucian, Mabel, Marius, Mirabel, Nadia, Nevin, Odette, Orson, Petra, Quill, Rafe,
    Rosalind, Sabine, Sylvan, Tamar, Tobin, Una, Valerian, Willa, Wystan, Xenia, Yannick, Zelda, Zephyr}'::text[]
    when 'last' then '{
    Alderton, Ashgrove, Barrowby, Birchall, Bramwell, Brightwater, Cobbold, Copperfield, Cranmere, Dunmore, Elmsworth,
    Fairweather, Farrow, Fernsby, Foxglove, Gladwyn, Goldfinch, Greenhalgh, Hartwell, Hawksworth, Heatherly, Hollis, Ironwood,
    Juniper, Kestrel, Kingsley, Larkin, Lindenow, Lockhart, Mallory, Marlow, Meadows, Millbrook, Moorcroft, Nightingale, Oakden,
    Orchard, Pembroke, Penhallow, Pinewood, Quarrie, Rainford, Redfern, Ridgeway, Rookwood, Sandford, Silverton, Sparrow,
    Stillwater, Swanwick, Tanglewood, Thornbury, Underhill, Valewood, Vickery, Wakefield, Waverley, Whitlock, Wildgoose,
    Winterbourne, Woodruff, Wrenfield, Yarrow, Yewdale}'::text[]
    when 'word' then '{
    amber, autumn, basket, bloom, breeze, bright, brook, calm, candle, clover, copper, cream, crisp, dawn, drift, early, ember, even,
    fallow, field, gentle, glade, grain, green, harvest, hedge, hollow, honey, lantern, late, linen, lively, meadow, mellow, mild,
    morning, narrow, orchard, pebble, plain, quiet, ripe, river, sable, season, shade, silver, slow, soft, spring, still, stone, sunny,
    timber, tender, valley, warm, willow, winter}'::text[]
  end;

-- One of a list. Any likeness of a first and a last name to somebody is chance: they are drawn apart.
create function tantamos.drawn_word(said text, list text) returns text language plpgsql immutable parallel safe as $$
declare
  words constant text[] := tantamos.made_up(list);
begin
  return words[1 + tantamos.drawn(said, cardinality(words))];
end $$;
