export const valleys = ['north', 'south', 'east', 'west', 'high'] as const;
export const crops =
  'apple pear cherry plum almond apricot peach quince blackcurrant raspberry blueberry gooseberry strawberry pumpkin courgette rapeseed sunflower buckwheat clover lavender borage phacelia field_bean alfalfa mustard melon cucumber hazel chestnut lime'.split(
    ' ',
  );
export const firstNames =
  'Alba Anselm Bettina Briony Calder Celia Corin Dagny Edda Elric Fenna Florian Greta Hadley Imre Isolde Jorun Kester Lamar Leonie Linnet Magnus Maren Nerys Odile Orrin Perpetua Quentin Ragna Rufus Saskia Selwyn Sunniva Tamsin Theron Ursel Verity Wilmot Ysolde Zeno'.split(
    ' ',
  );
export const lastNames =
  'Abernook Applewhin Barleywood Birkmyre Bramblecote Calderwick Clovelly-Marsh Cressing Dovecot Elderbank Fallowmere Fennimore Gorseley Hartsedge Hazelrigg Hollinbrook Ivanhope Kestrelby Larkspindle Linwhistle Marlowgate Meadhurst Nettlefold Oakenshaw Pellworthy Quincebury Rushwater Saltmarket Sedgely Thornquist Umberleigh Vetchling Willowmead Wrenfield Yarrowdale Zephyrine'.split(
    ' ',
  );
export const placeWords =
  'Long Upper Lower Mill Church Stony Hollow Sunny Far Old West Rook Fox Badger Heron Swallow Bracken Chalk Orchard Bell'.split(
    ' ',
  );
export const placeEnds = 'Field Bank Acre Slope Garden Rise Piece Corner Terrace Close'.split(' ');
export const growerEnds = ['Orchards', 'Fruit Farm', 'Growers', 'Berry Farm', 'Gardens', 'Estate'];
export const regions: Record<(typeof valleys)[number], string> = {
  north: 'Northern Hills',
  south: 'South Downs Edge',
  east: 'Eastern Flats',
  west: 'West Marches',
  high: 'High Pastures',
};
export const taskSubjects = [
  'Call about the start date',
  'Send the price list',
  'Check the access track',
  'Ask for the spray plan',
  'Collect signatures',
];
export const remarkBodies = [
  'Prefers a call in the evening.',
  'Gate code has changed, ask before driving up.',
  'Asked for ten more hives next spring.',
  'Paid late twice, but always paid.',
  'Spraying is announced a week ahead.',
];
