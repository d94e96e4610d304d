// What made-up values are put together from. Any likeness to somebody is chance: first and last names are drawn apart.

const words = (text: string): readonly string[] => text.trim().split(/\s+/);

export const firstNames = words(`
  Adela Alaric Amity Ansel Aurel Beatrix Benno Briar Caspian Cecily Clement Corwin Dahlia Damian Delphine Edmund Eliora Emeric
  Esme Evander Fabian Faye Felix Flora Gareth Gemma Gideon Hazel Hector Helena Ilona Imogen Ivo Jasper Juno Kaia Kilian Lavinia
  Leander Lorena Lucian Mabel Marius Mirabel Nadia Nevin Odette Orson Petra Quill Rafe Rosalind Sabine Sylvan Tamar Tobin Una
  Valerian Willa Wystan Xenia Yannick Zelda Zephyr`);
export const lastNames = words(`
  Alderton Ashgrove Barrowby Birchall Bramwell Brightwater Cobbold Copperfield Cranmere Dunmore Elmsworth Fairweather Farrow
  Fernsby Foxglove Gladwyn Goldfinch Greenhalgh Hartwell Hawksworth Heatherly Hollis Ironwood Juniper Kestrel Kingsley Larkin
  Lindenow Lockhart Mallory Marlow Meadows Millbrook Moorcroft Nightingale Oakden Orchard Pembroke Penhallow Pinewood Quarrie
  Rainford Redfern Ridgeway Rookwood Sandford Silverton Sparrow Stillwater Swanwick Tanglewood Thornbury Underhill Valewood
  Vickery Wakefield Waverley Whitlock Wildgoose Winterbourne Woodruff Wrenfield Yarrow Yewdale`);
/** Reserved for examples (RFC 2606): no mail ever arrives there. */
export const mailDomains = words('example.com example.org example.net');
export const plainWords = words(`
  amber autumn basket bloom breeze bright brook calm candle clover copper cream crisp dawn drift early ember even fallow field
  gentle glade grain green harvest hedge hollow honey lantern late linen lively meadow mellow mild morning narrow orchard pebble
  plain quiet ripe river sable season shade silver slow soft spring still stone sunny timber tender valley warm willow winter`);
