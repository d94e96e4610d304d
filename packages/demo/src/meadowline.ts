import { Random } from './random';
import {
  crops,
  firstNames,
  growerEnds,
  lastNames,
  placeEnds,
  placeWords,
  regions,
  remarkBodies,
  taskSubjects,
  valleys,
} from './words';

type Cell = string | number | boolean | null;
export interface Table {
  readonly name: string;
  readonly columns: readonly string[];
  /** Rows one by one, so that ten times the data takes no more memory. */
  readonly rows: () => Iterable<readonly Cell[]>;
}

/** People who carry the planted situations; their keys stay the same at every size. */
export const people = {
  /** Owns most drafts in the north valley. */
  northSales: { id: 1, name: 'Ines Calloway' },
  /** Leaves at the end of the month, with open and closed records of four types. */
  leaving: { id: 2, name: 'Tobias Fenwick' },
  /** Who left in autumn, and still have records. */
  left: [{ id: 29 }, { id: 44 }],
  /** Two people, one name. */
  namesakes: [
    { id: 3, name: 'Marta Quill' },
    { id: 4, name: 'Marta Quill' },
  ],
  /** Who have accounts: the head of sales, one of the sales people, one of finance. */
  withAccounts: [
    { id: 5, name: 'Sorrel Haldane' },
    { id: 7, name: 'Piers Wickham' },
    { id: 58, name: 'Wren Aldous' },
  ],
} as const;

const sizes = {
  staff: 60,
  growers: 2_500,
  contacts: 5_000,
  sites: 4_000,
  hives: 20_000,
  bookings: 18_000,
  placements: 3_000,
  inspections: 22_000,
  invoices: 6_000,
  tasks: 9_500,
  remarks: 15_000,
  grower_certificates: 1_250,
};

const certificates = [
  ['Organic', 'Farmed without synthetic sprays.'],
  ['Bee friendly', 'No spraying while the bloom is open.'],
  ['Regional', 'Sold within eighty miles.'],
  ['Low residue', 'Tested twice a season.'],
  ['Wild margins', 'A flower strip around every field.'],
  ['Water wise', 'Irrigated by meter.'],
] as const;

const firstDay = Date.UTC(2024, 0, 1);
const stamp = '2026-02-01 06:00:00+00';
/** A day as ISO 8601, counted from 1 January 2024. */
const day = (n: number): string => new Date(firstDay + n * 86_400_000).toISOString().slice(0, 10);
const pad = (n: number, length: number): string => String(n).padStart(length, '0');

/** All tables in the order in which they can be loaded. About 105,000 records times `size`; staff and listings stay. */
export function meadowline(size = 1, seed = 7410): Table[] {
  const count = (name: keyof typeof sizes): number => (name === 'staff' ? sizes.staff : sizes[name] * size);
  const table = (
    name: string,
    columns: string,
    row: (i: number, random: Random) => readonly Cell[],
    rows?: number,
  ): Table => ({
    name,
    columns: columns.split(' '),
    *rows() {
      const random = new Random(seed + [...name].reduce((sum, c) => sum * 31 + c.charCodeAt(0), 0));
      const total = rows ?? count(name as keyof typeof sizes);
      for (let i = 1; i <= total; i++) yield row(i, random);
    },
  });
  const ref = (name: keyof typeof sizes, random: Random): number => random.whole(1, count(name));

  return [
    table('staff', 'id name email role lead valley active leaves_on starts_at', staffRow),
    table(
      'growers',
      'id code name parent owner kind status valley region organic priority credit_limit tags customer_since note updated_at',
      (i, r) => growerRow(i, r),
    ),
    table(
      'contacts',
      'id grower name email phone wants_mail mail_preference position owner source created_on updated_at',
      (i, r) => {
        const name = contactName(i, seed);
        // Every 40th shares the address of the one before: one mail, two people.
        const mail = contactMail(i % 40 === 0 ? i - 1 : i, seed);
        const wants = r.chance(0.9) ? r.chance(0.7) : null;
        const preference = r.chance(0.45) ? r.pick(['all', 'season_only', 'none']) : null;
        const phone = r.chance(0.6) ? `+44 ${r.whole(1000, 9999)} ${pad(r.whole(0, 999999), 6)}` : null;
        const position = r.chance(0.5) ? r.pick(['Orchard manager', 'Owner', 'Bookkeeper', 'Field lead']) : null;
        const owner = i % 35 === 0 ? people.leaving.id : 1 + ((i * 7) % 30);
        // Nobody asked in the first years.
        const source = i % 6 === 0 ? null : sources[(i * 5) % 4]!;
        const created = i % 50 === 0 ? null : day((i * 13) % 1000);
        return [i, ref('growers', r), name, mail, phone, wants, preference, position, owner, source, created, stamp];
      },
    ),
    table('sites', 'id code grower name crop valley hectares access_note updated_at', (i, r) => {
      const grower = ref('growers', r);
      const valley = valleys[grower % 5]!;
      const note = r.chance(0.2) ? 'Narrow lane, no lorry over 7.5 t.' : null;
      return [
        i,
        `S-${pad(i, 6)}`,
        grower,
        siteName(i, r),
        r.pick(crops),
        valley,
        r.whole(20, 9_900) / 100,
        note,
        stamp,
      ];
    }),
    table('hives', 'id code site owner state frame_size strength built_on updated_at', (i, r) => {
      const built = r.whole(0, 1000);
      // The frame size was added last spring: blank on what was built before.
      const frame = built > 790 ? r.pick(['shallow', 'medium', 'deep']) : null;
      const state = r.pick(['ready', 'ready', 'placed', 'placed', 'resting', 'retired']);
      const site = state === 'placed' ? ref('sites', r) : null;
      const owner = i % 50 === 0 ? people.leaving.id : r.whole(31, 45);
      return [i, `H-${pad(i, 7)}`, site, owner, state, frame, r.whole(0, 10), day(built), stamp];
    }),
    table(
      'bookings',
      'id reference grower site owner status valley region crop hives start_on end_on price_per_hive wants_water promotion_code discount_percent note updated_at',
      (i, r) => bookingRow(i, r, count('growers'), count('sites')),
    ),
    table('placements', 'booking hive placed_on', (i, r) => [i, ref('hives', r), day(r.whole(400, 1000))]),
    table(
      'inspections',
      'id hive booking inspector state waiting_reason inspected_on brood_frames mites_per_hundred found updated_at',
      (i, r) => {
        const state = r.pick(['planned', 'planned', 'waiting', 'done', 'done', 'done', 'void']);
        const reason =
          state === 'waiting' || r.chance(0.05) ? r.pick(['rain', 'no access', 'spraying', 'queen not seen']) : null;
        const done = state === 'done';
        const inspector = i % 60 === 0 ? people.leaving.id : r.whole(46, 55);
        return [
          i,
          ref('hives', r),
          r.chance(0.5) ? ref('bookings', r) : null,
          inspector,
          state,
          reason,
          done ? day(r.whole(300, 1050)) : null,
          done ? r.whole(1, 9) : null,
          done ? r.whole(0, 800) / 100 : null,
          done
            ? r.pick(['Calm, laying well.', 'Few stores.', 'New queen marked.', 'Mites counted, treat in August.'])
            : null,
          stamp,
        ];
      },
    ),
    table(
      'invoices',
      'id number grower booking owner state dunning_level net vat issued_on due_on paid_at updated_at',
      (i, r) => {
        const state = r.pick(['open', 'paid', 'paid', 'paid', 'overdue', 'written_off']);
        const net = r.whole(5_000, 900_000);
        const issued = r.whole(300, 1050);
        const paid = state === 'paid' ? `${day(issued + r.whole(1, 40))} ${pad(r.whole(7, 18), 2)}:15:00+00` : null;
        const owner = i % 30 === 0 ? people.leaving.id : r.whole(56, 60);
        const dunning = state === 'overdue' ? r.whole(1, 3) : 0;
        const cents = [net / 100, Math.round(net * 0.2) / 100];
        return [
          i,
          `M-${pad(i, 8)}`,
          ref('growers', r),
          ref('bookings', r),
          owner,
          state,
          dunning,
          ...cents,
          day(issued),
          day(issued + 30),
          paid,
          stamp,
        ];
      },
    ),
    table(
      'listings',
      'id slug crop valley owner headline body published updated_at',
      (i, r) => {
        const crop = crops[(i - 1) % crops.length]!;
        const valley = valleys[Math.floor((i - 1) / crops.length)]!;
        const words = crop.replace('_', ' ');
        const body = r.chance(0.8)
          ? `Strong colonies for ${words} in the ${valley} valley, placed within two days.`
          : null;
        return [
          i,
          `${crop.replace('_', '-')}-${valley}`,
          crop,
          valley,
          r.whole(5, 30),
          `Hives for ${words} in the ${valley} valley`,
          body,
          r.chance(0.7),
          stamp,
        ];
      },
      crops.length * valleys.length,
    ),
    table('tasks', `id subject owner state due_on ${parents.join(' ')} updated_at`, (i, r) => {
      const owner = i % 45 === 0 ? people.leaving.id : r.whole(5, 60);
      const due = r.chance(0.8) ? day(r.whole(900, 1200)) : null;
      return [i, r.pick(taskSubjects), owner, r.chance(0.4) ? 'open' : 'done', due, ...oneParent(r, count), stamp];
    }),
    table('remarks', `id body author written_at ${parents.join(' ')}`, (i, r) => [
      i,
      r.pick(remarkBodies),
      r.whole(1, 60),
      `${day(r.whole(100, 1050))} ${pad(r.whole(7, 18), 2)}:${pad(r.whole(0, 59), 2)}:00+00`,
      ...oneParent(r, count),
    ]),
    table('certificates', 'id name about', (i) => [i, ...certificates[i - 1]!], certificates.length),
    table('grower_certificates', 'grower certificate since', (i, r) => {
      // Some hold a second one.
      const firsts = 900 * size;
      const grower = i > firsts ? i - firsts : i;
      const since = r.chance(0.8) ? day(r.whole(0, 900)) : null;
      return [grower, 1 + ((grower + (i > firsts ? 1 : 0)) % certificates.length), since];
    }),
  ];
}

/** Addresses that asked to be left alone, as somebody pasted them: repeats, blanks, strangers, shared ones. */
export function leftAlone(seed = 7410): string {
  const random = new Random(seed + 1);
  const lines: string[] = [];
  for (let i = 0; i < 221; i++) {
    const mail = contactMail(1 + i * 20 + (i % 10 === 1 ? 18 : 0), seed);
    lines.push(i % 7 === 0 ? `  ${mail.toUpperCase()};` : i % 11 === 0 ? `Someone <${mail}>` : mail);
  }
  for (let i = 0; i < 26; i++) lines.push(`stranger.${i}@nowhere.example`);
  for (let i = 0; i < 48; i++) lines.push(lines[random.whole(0, 220)]!);
  lines.push('', '', '   ', 'see the list of March', 'n/a');
  for (let i = lines.length - 1; i > 0; i--) {
    const j = random.whole(0, i);
    [lines[i], lines[j]] = [lines[j]!, lines[i]!];
  }
  return `${lines.join('\n')}\n`;
}

const parents = ['grower', 'contact', 'site', 'hive', 'booking', 'inspection', 'invoice'];

/** Exactly one of the parents, the others null. */
function oneParent(r: Random, count: (name: keyof typeof sizes) => number): Cell[] {
  const chosen = r.pick(parents);
  return parents.map((p) => (p === chosen ? r.whole(1, count(`${p}s` as keyof typeof sizes)) : null));
}

function staffRow(i: number, r: Random): Cell[] {
  const planted = [people.northSales, people.leaving, ...people.namesakes, ...people.withAccounts].find(
    (p) => p.id === i,
  )?.name;
  const drawn = personName(i, r);
  const name = planted ?? drawn;
  const role = i <= 30 ? 'sales' : i <= 45 ? 'beekeeper' : i <= 55 ? 'inspector' : 'finance';
  const hasLeft = people.left.some((p) => p.id === i);
  const lead = i === 5 ? null : i <= 30 ? 5 : i <= 45 ? 31 : 46;
  const valley = i <= 30 ? (i === 1 ? 'north' : i === 4 ? 'east' : valleys[i % 5]!) : null;
  return [
    i,
    name,
    `${slug(name)}.${i}@meadowline.example`,
    role,
    lead === i ? 5 : lead,
    valley,
    !hasLeft,
    i === people.leaving.id ? '2026-11-27' : hasLeft ? '2026-09-30' : null,
    '07:30',
  ];
}

function growerRow(i: number, r: Random): Cell[] {
  const cooperative = i <= 40;
  const valley = valleys[i % 5]!;
  const parent = !cooperative && r.chance(0.4) ? r.whole(0, 7) * 5 + (i % 5 === 0 ? 5 : i % 5) : null;
  const name = cooperative
    ? `${r.pick(placeWords)} ${r.pick(placeEnds)} Co-operative`
    : `${r.pick(lastNames)} ${r.pick(growerEnds)}`;
  // Members are recorded as resellers here and there: kind and status that should agree and do not.
  const kind = cooperative ? 'cooperative' : r.pick(['orchard', 'orchard', 'orchard', 'nursery', 'reseller']);
  const status = r.pick(['prospect', 'active', 'active', 'active', 'dormant', 'closed']);
  const owner = i % 25 === 0 ? people.leaving.id : r.whole(1, 30);
  const tags = r.chance(0.3) ? `{${r.pick(['early bloom', 'night delivery', 'steep'])}}` : '{}';
  return [
    i,
    `G-${pad(i, 6)}`,
    name,
    parent,
    owner,
    kind,
    status,
    valley,
    r.chance(0.5) ? regions[valley] : null,
    r.chance(0.25),
    r.chance(0.8) ? r.whole(1, 5) : null,
    r.whole(0, 40) * 250,
    tags,
    status === 'prospect' ? null : day(r.whole(0, 900)),
    r.chance(0.1) ? 'Met at the spring fair.' : null,
    stamp,
  ];
}

/**
 * 3,600 of every 18,000 are in each valley; every fifteenth of those is a draft (240), and in the north valley five
 * drafts in six belong to one person. Some of hers have no site, which a newer rule wants before confirming.
 */
function bookingRow(i: number, r: Random, growers: number, sites: number): Cell[] {
  const valley = valleys[(i - 1) % 5]!;
  const turn = Math.floor((i - 1) / 5);
  const draft = turn % 15 === 0;
  const nth = Math.floor(turn / 15);
  const hers = valley === 'north' && draft && nth % 6 !== 0;
  const status = draft ? 'draft' : r.pick(['confirmed', 'placed', 'placed', 'collected', 'collected', 'cancelled']);
  const start = draft ? r.whole(1060, 1180) : r.whole(300, 1100);
  const owner = hers ? people.northSales.id : i % 70 === 0 ? people.leaving.id : r.whole(5, 30);
  const noSite = hers ? nth % 25 === 2 : r.chance(draft ? 0.05 : 0.004);
  return [
    i,
    `B-${pad(i, 7)}`,
    r.whole(1, growers),
    noSite ? null : r.whole(1, sites),
    owner,
    status,
    valley,
    r.chance(0.55) ? regions[valley] : null,
    r.pick(crops),
    r.whole(2, 120),
    day(start),
    day(start + r.whole(14, 60)),
    r.whole(1800, 6500) / 100,
    r.chance(0.1),
    ...promotion(i),
    r.chance(0.15) ? r.pick(remarkBodies) : null,
    stamp,
  ];
}

/** Codes as they were typed, and the discount that goes with them: on every other booking it was forgotten. */
function promotion(i: number): [Cell, Cell] {
  if (i % 9 !== 0) return [null, null];
  return [['SPRING26', 'spring-26', ' Spring 26', 'EARLY10'][(i / 9) % 4]!, i % 2 === 0 ? null : 5];
}

/** What hives for each crop cost from next season on, as somebody keeps it beside the service. */
export function priceList(): string {
  const lines = crops.map((crop, i) => `${crop},${(20 + ((i * 37) % 45) + 0.5).toFixed(2)}`);
  return `${['crop,price per hive', ...lines].join('\n')}\n`;
}

const sources = ['fair', 'recommendation', 'website', 'phone'];

function personName(i: number, r: Random): string {
  return `${firstNames[(i * 7 + r.whole(0, 3)) % firstNames.length]} ${lastNames[(i * 11 + r.whole(0, 5)) % lastNames.length]}`;
}

/** Depends on the key alone, so that the list of addresses can name it. */
function contactName(i: number, seed: number): string {
  const r = new Random(seed * 131 + i);
  return `${r.pick(firstNames)} ${r.pick(lastNames)}`;
}

function contactMail(i: number, seed: number): string {
  return `${slug(contactName(i, seed))}.${i}@grower.example`;
}

function siteName(i: number, r: Random): string {
  const name = `${r.pick(placeWords)} ${r.pick(placeEnds)}`;
  if (i % 23 === 0) return name.replace(' ', '  ');
  if (i % 31 === 0) return `${name} `;
  if (i % 37 === 0) return name.replace(/e/, 'ee');
  return name;
}

function slug(text: string): string {
  return text.toLowerCase().replace(/[^a-z]+/g, '.');
}
