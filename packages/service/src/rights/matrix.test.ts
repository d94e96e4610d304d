import { journalOutcomes, routes, type Route, type RouteName } from '@tantamos/contract';
import { demoAccounts } from '../accounts/demo-accounts';
import { done, previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';

// Every route × every role × a type, a field and records that are withheld. What is withheld carries words that occur nowhere
// else; whatever a person of that role asks for, in whatever way, none of them may come back. A new route does not compile here
// until it says how it is asked.

/** Words of what is withheld from editors and readers: of the type, of the field, and of the records. */
const secrets = [
  'invoices',
  'Invoices',
  'INV-SECRET',
  'credit_limit',
  'Credit limit',
  '987654',
  'Secretgrove',
  'G-HUSH',
];

/** Only for those who administer. */
const forAdministrators: readonly RouteName[] = [
  'setWorkspace',
  'settle',
  'settingChanges',
  'detach',
  'accounts',
  'addAccount',
  'changeAccount',
  'resetPassword',
  'accountSessions',
  'endAccountSession',
  'wrongPasswords',
  'liftWrongPasswords',
  'roles',
  'addRole',
  'dropRole',
  'rights',
  'addRight',
  'dropRight',
  'typeSettings',
  'setType',
  'setField',
  'saveRule',
  'switchRule',
  'dropRule',
];

interface Ask {
  readonly path?: Readonly<Record<string, string>>;
  readonly query?: Readonly<Partial<Record<string, string>>>;
  readonly body?: unknown;
}

describe('what is withheld is absent', () => {
  let w: Workspace;
  const ids: Record<string, string> = {};
  const nobody = '00000000-0000-7000-8000-000000000000';

  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(`set session_replication_role = replica;
      update invoices set number = 'INV-SECRET' where id = 1;
      update growers set credit_limit = 987654.32 where id in (1, 17);
      update growers set name = 'Secretgrove Estate', code = 'G-HUSH', valley = 'south' where id = 17;
      update bookings set grower = 17 where id = 5; update contacts set grower = 17 where id = 9`);
    // Everything that can hold a name or a value is made while nothing is withheld, open to all.
    const change = (type: string, key: string, field: string, value: string) =>
      done(w.admin, {
        selection: { type, keys: [key] },
        edits: [{ kind: 'set', field, value }],
        safety: { pace: 100 },
      });
    ids.invoiceRun = (await change('invoices', '1', 'dunning_level', '3')).id;
    ids.fieldRun = (await change('growers', '1', 'credit_limit', '987654.5')).id;
    ids.recordRun = (await change('growers', '17', 'note', 'Secretgrove')).id;
    const preview = async (type: string, filter: string, field: string, value: string) =>
      (await previewed(w.admin, { selection: { type, filter }, edits: [{ kind: 'set', field, value }] })).id;
    ids.invoicePreview = await preview('invoices', 'id = 1', 'dunning_level', '2');
    ids.fieldPreview = await preview('growers', 'credit_limit > 900000', 'note', 'rich');
    ids.recordPreview = await preview('growers', "name = 'Secretgrove Estate'", 'note', 'x');
    ids.referencePreview = await preview('bookings', 'id < 10', 'grower', 'Secretgrove Estate');
    const save = (name: string, type: string, filter: string) =>
      w.admin.saveSelection({ name, selection: { type, filter }, open: true, note: null });
    await save('of the type', 'invoices', "number = 'INV-SECRET'");
    await save('of the field', 'growers', 'credit_limit > 900000');
    const rule = (name: string, type: string, holds: string, message: string) =>
      w.admin.saveRule({ name, type, holds, message, isOn: true });
    await rule('of the type, too', 'invoices', "number <> 'INV-SECRET'", 'No INV-SECRET.');
    await rule('of the field, too', 'growers', 'credit_limit > 0 OR note IS NULL', 'The Credit limit is 987654.');
    const saveJob = (name: string, type: string, filter: string, field: string) =>
      w.admin.saveJob({
        name,
        open: true,
        job: { selection: { type, filter }, edits: [{ kind: 'clear', field }] },
        inputs: [{ name: 'x', label: 'x', spots: [{ at: '/selection/filter', literal: 0 }] }],
      });
    await saveJob('job of the type', 'invoices', "number = 'INV-SECRET'", 'paid_at');
    await saveJob('job of the field', 'growers', 'credit_limit > 900000', 'note');
    await saveJob('job of both', 'bookings', "in_selection('of the field', grower)", 'note');
    await save('of both', 'bookings', "in_selection('of the field', grower)");
    const text = 'G-HUSH\nG-000002\nINV-SECRET\nnone@such.example';
    const targets = [{ type: 'growers', fields: ['code', 'name'] }];
    ids.list = (await w.editor.paste({ text, targets })).id;
    ids.adminList = (await w.admin.paste({ text, targets: [...targets, { type: 'invoices', fields: ['number'] }] })).id;
    const counts = (type: string, field: string) =>
      w.editor.keepCounts({ name: `by ${field.slice(0, 3)}`, selection: { type, filter: 'id < 20' }, fields: [field] });
    ids.invoiceCounts = (await counts('invoices', 'number')).id;
    ids.fieldCounts = (await counts('growers', 'credit_limit')).id;
    const preset = (type: string, field: string) =>
      w.editor.keepPreset({ name: 'preset', type, edits: [{ kind: 'set', field, value: 77777 }] });
    const file = new TextEncoder().encode('code,limit\nG-000003,77\nG-000002,1\n');
    ids.file = (await w.editor.uploadFile({ name: 'x.csv' }, file)).id;
    ids.adminFile = (await w.admin.uploadFile({ name: 'x.csv' }, file)).id;
    ids.invoicePreset = (await preset('invoices', 'net')).id;
    ids.fieldPreset = (await preset('growers', 'credit_limit')).id;
    ids.draft = (await w.editor.beginDraft({ job: { type: 'invoices', filter: 'x', edits: [] } })).id;
    ids.readerDraft = (await w.reader.beginDraft({ job: { type: 'invoices', filter: 'x', edits: [] } })).id;
    for (const role of ['editor', 'reader']) {
      const deny = (line: object) => w.admin.addRight({ role, effect: 'deny', acts: ['see'], ...line });
      await deny({ types: ['invoices'] });
      await deny({ types: ['growers'], fields: ['credit_limit'] });
      await deny({ types: ['growers'], filter: "valley = 'south'" });
    }
  }, 120_000);
  afterAll(() => w.close());

  const jobNames = ['job of the type', 'job of the field', 'job of both', 'job'];
  const filters = [
    'credit_limit > 1',
    "code = 'G-HUSH'",
    "name = 'Secretgrove Estates'",
    "in_selection('of the field')",
    "breaks_rule('of the field, too')",
  ];
  const ofType = (body: object = {}): Ask[] => [
    { path: { type: 'invoices' }, body },
    ...['growers', 'bookings'].map((type) => ({ path: { type }, body })),
    ...filters.map((filter) => ({ path: { type: 'growers' }, body: { ...body, filter } })),
    { path: { type: 'bookings' }, body: { ...body, filter: "grower.name LIKE 'Secret%'" } },
    { path: { type: 'bookings' }, body: { ...body, filter: "in_selection('of both')" } },
    { path: { type: 'growers' }, body: { ...body, list: { id: ids.list, unknown: 'skip' } } },
    {
      path: { type: 'growers' },
      body: { ...body, related: { of: { type: 'invoices' }, how: 'pointed_at', field: 'grower' } },
    },
  ];
  const records = (): Ask[] =>
    [
      ['invoices', '1'],
      ['growers', '17'],
      ['growers', '1'],
      ['bookings', '5'],
      ['contacts', '9'],
    ].map(([type, key]) => ({ path: { type: type!, key: key! } }));
  const job = (type: string, filter: string, field = 'note', value: unknown = 'y') => ({
    selection: { type, filter },
    edits: [{ kind: 'set', field, value }],
  });
  const jobs = () => [
    job('invoices', 'id = 1'),
    job('growers', 'credit_limit > 1'),
    job('growers', 'id < 30', 'credit_limit', '1'),
    job('growers', 'id = 17'),
    job('bookings', 'id = 5', 'grower', 'Secretgrove Estate'),
    job('bookings', 'id = 5', 'grower', 'Secretgrove Estat'),
    job('bookings', 'id = 5'),
  ];
  const runs = (more: object = {}): Ask[] =>
    ['invoiceRun', 'fieldRun', 'recordRun'].map((r) => ({ path: { id: ids[r]! }, ...more }));
  const previews = (): Ask[] =>
    ['invoicePreview', 'fieldPreview', 'recordPreview', 'referencePreview'].map((p) => ({ path: { id: ids[p]! } }));
  const journals = (asks: readonly Ask[]): Ask[] =>
    asks.flatMap((ask) => [
      ask,
      ...journalOutcomes.map((outcome) => ({ ...ask, query: { outcome } })),
      ...['csv', 'jsonl'].map((format) => ({ ...ask, query: { format } })),
    ]);
  const names = ['of the type', 'of the field', 'of both'].map((name): Ask => ({ path: { name } }));
  const columns = { columns: ['id', 'name', 'credit_limit'] };

  /** How each route is asked for what is withheld. */
  const asks: Readonly<Record<RouteName, () => readonly Ask[]>> = {
    health: () => [{}],
    setWorkspace: () => [{ body: { name: 'mine' } }],
    settle: () => [{}],
    handover: () => [{ path: { type: 'staff', person: '2' } }],
    makeHandover: () => [
      {
        path: { type: 'staff', person: '2' },
        body: { lines: [{ type: 'growers', field: 'owner', which: 'all' }], among: [{ to: '1' }] },
      },
    ],
    uploadFile: () => [{ query: { name: 'x.csv' } }],
    file: () => [{ path: { id: ids.file! } }, { path: { id: ids.adminFile! } }],
    guessPlan: () =>
      [ids.file!, ids.adminFile!].flatMap((id) => ['invoices', 'growers'].map((type) => ({ path: { id, type } }))),
    planFile: () =>
      ['invoices', 'growers'].map((type) => ({
        path: { id: ids.file! },
        body: {
          type,
          match: [{ column: 'code', field: type === 'growers' ? 'code' : 'number' }],
          take: [{ column: 'limit', field: type === 'growers' ? 'credit_limit' : 'net' }],
          unknown: 'skip',
        },
      })),
    fileRows: () => [{ path: { id: ids.file! } }, { path: { id: ids.adminFile! } }],
    presets: () => [{}],
    keepPreset: () => [
      { body: { name: 'x', type: 'invoices', edits: [{ kind: 'set', field: 'net', value: 1 }] } },
      { body: { name: 'x', type: 'growers', edits: [{ kind: 'set', field: 'credit_limit', value: 1 }] } },
    ],
    dropPreset: () => [{ path: { id: ids.invoicePreset! } }, { path: { id: ids.fieldPreset! } }],
    settingChanges: () => [{}],
    detach: () => [{ body: { database: 'x' } }],
    signIn: () => [{ body: { login: 'piers', password: 'wrong', kind: 'token' } }],
    signOut: () => [],
    sessions: () => [{}],
    endSession: () => [{ path: { id: nobody } }],
    me: () => [{}],
    changePassword: () => [{ body: { current: 'wrong', next: 'also wrong' } }],
    accounts: () => [{}],
    addAccount: () => [{ body: { login: 'x', name: 'x', role: 'administrator', password: 'long enough' } }],
    changeAccount: () => [{ path: { id: nobody }, body: { role: 'administrator' } }],
    resetPassword: () => [{ path: { id: nobody }, body: { password: 'long enough' } }],
    accountSessions: () => [{ path: { id: nobody } }],
    endAccountSession: () => [{ path: { id: nobody, session: nobody } }],
    wrongPasswords: () => [{}],
    changeMe: () => [{ body: { locale: null } }],
    liftWrongPasswords: () => [{ path: { kind: 'login', subject: 'nobody' } }],
    roles: () => [{}],
    addRole: () => [{ body: { id: 'mine', label: 'Mine' } }],
    dropRole: () => [{ path: { role: 'reader' } }],
    rights: () => [{}],
    addRight: () => [{ body: { login: 'piers', effect: 'allow', acts: ['administer'] } }],
    dropRight: () => [{ path: { id: nobody } }],
    may: () => ['piers', 'wren', 'sorrel', 'nobody'].map((login) => ({ path: { login } })),
    types: () => [{}],
    type: () => ['invoices', 'invoice', 'growers', 'tasks', 'bookings'].map((type) => ({ path: { type } })),
    typeSettings: () => ['invoices', 'growers'].map((type) => ({ path: { type } })),
    setType: () => [{ path: { type: 'invoices' }, body: { label: 'x' } }],
    savedJobs: () => [{}],
    savedJob: () => jobNames.map((name) => ({ path: { name } })),
    savedJobVersions: () => jobNames.map((name) => ({ path: { name } })),
    useJob: () => jobNames.map((name) => ({ path: { name }, body: { inputs: { x: '1' } } })),
    saveJob: () => [
      {
        body: {
          name: 'job of the type',
          job: {
            selection: { type: 'growers', filter: "name LIKE 'Secret%'" },
            edits: [{ kind: 'clear', field: 'note' }],
          },
        },
      },
    ],
    constants: () => [
      { body: { selection: { type: 'invoices', filter: 'id = 1' }, edits: [{ kind: 'clear', field: 'paid_at' }] } },
      {
        body: {
          selection: { type: 'growers', filter: 'credit_limit > 1' },
          edits: [{ kind: 'set', field: 'credit_limit', value: 1 }],
        },
      },
    ],
    dropSavedJob: () => jobNames.map((name) => ({ path: { name } })),
    savedJobsFile: () => [{}],
    importJobs: () => [{ body: { file: { tantamos: 'saved-jobs', jobs: [] } } }],
    rules: () => [{}, { query: { type: 'growers' } }, { query: { type: 'invoices' } }],
    rule: () => ['of the type, too', 'of the field, too', 'of the'].map((name) => ({ path: { name } })),
    ruleVersions: () => ['of the type, too', 'of the field, too'].map((name) => ({ path: { name } })),
    countRule: () => ['of the type, too', 'of the field, too'].map((name) => ({ path: { name } })),
    saveRule: () => [{ body: { name: 'of the field, too', type: 'growers', message: 'x', holds: 'id > 0' } }],
    switchRule: () => [{ path: { name: 'of the field, too' }, body: { isOn: false } }],
    dropRule: () => [{ path: { name: 'of the field, too' } }],
    setField: () => [{ path: { type: 'growers', field: 'credit_limit' }, body: { label: 'x' } }],
    find: () => [
      ...['invoices', 'growers', 'bookings'].map((type) => ({ path: { type }, query: { limit: '1000' } })),
      ...filters.map((filter) => ({ path: { type: 'growers' }, query: { filter, count: 'exact' } })),
      { path: { type: 'growers' }, query: { columns: 'credit_limit' } },
      { path: { type: 'bookings' }, query: { columns: 'grower.credit_limit' } },
      { path: { type: 'growers' }, query: { sort: '-credit_limit' } },
    ],
    search: () => [...ofType({ limit: 1000, count: 'exact' }), ...ofType(columns)],
    record: records,
    history: records,
    pointers: records,
    lookup: () =>
      ['Secret', '17', 'G-HUSH', ''].flatMap((q) =>
        ['growers', 'invoices'].map((type) => ({ path: { type }, query: { q, limit: '100' } })),
      ),
    values: () => [
      ...ofType({ fields: ['name'], most: 1000 }),
      ...ofType({ fields: ['credit_limit'], ranges: true }),
      { path: { type: 'bookings' }, body: { fields: ['grower', 'grower.name', 'grower.code'], most: 1000 } },
      { path: { type: 'tasks' }, body: { fields: ['invoice'], most: 1000 } },
    ],
    cross: () => [
      ...ofType({ rows: 'valley', columns: 'credit_limit' }),
      { path: { type: 'bookings' }, body: { rows: 'grower', columns: 'status', filter: 'id < 20' } },
    ],
    explain: () => ofType({ near: true }),
    // The reference: the same words in every workspace.
    functions: () => [],
    exportRecords: () => [
      ...['csv', 'jsonl'].flatMap((format) => ofType({ format })),
      { path: { type: 'bookings' }, body: { format: 'csv', columns: ['id', 'grower', 'grower.name'] } },
    ],
    paste: () =>
      ['growers', 'invoices'].map((type) => ({
        body: { text: 'G-HUSH\nG-HUSX\n17\n1', targets: [{ type, fields: [type === 'growers' ? 'code' : 'number'] }] },
      })),
    list: () => [{ path: { id: ids.list! } }, { path: { id: ids.adminList! } }],
    // What was pasted is the person's own: only what is told about it counts.
    listLines: () => [
      ...['found', 'several', 'elsewhere'].map((of) => ({ path: { id: ids.list! }, query: { of } })),
      { path: { id: ids.adminList! } },
    ],
    chooseInList: () => [
      { path: { id: ids.list! }, body: { type: 'invoices', entry: 1, keys: ['1'] } },
      { path: { id: ids.adminList! }, body: { type: 'growers', entry: 1, keys: ['17'] } },
    ],
    selections: () => [{}],
    selection: () => names,
    selectionVersions: () => names,
    countSelection: () => names,
    saveSelection: () => [{ body: { name: 'mine', selection: { type: 'invoices' } } }],
    dropSelection: () => names,
    selectionsFile: () => [{}],
    importSelections: () => [
      {
        body: { file: { tantamos: 'saved-selections', selections: [{ name: 'n', selection: { type: 'invoices' } }] } },
      },
    ],
    keptCounts: () => [{}],
    keepCounts: () => [
      { body: { name: 'n', selection: { type: 'invoices' }, fields: ['id'] } },
      { body: { name: 'n', selection: { type: 'growers' }, fields: ['credit_limit'] } },
    ],
    compareCounts: () => [{ path: { id: ids.invoiceCounts! } }, { path: { id: ids.fieldCounts! } }],
    dropCounts: () => [{ path: { id: nobody } }],
    keepValues: () => [
      { body: { type: 'growers', field: 'note', keys: ['1', '5'], values: ['a', 'b'] } },
      { body: { type: 'growers', field: 'credit_limit', keys: ['1'], values: ['7'] } },
      { body: { type: 'growers', field: 'note', by: 'credit_limit', keys: ['100'], values: ['a'] } },
      { body: { type: 'invoices', field: 'dunning', keys: ['1'], values: ['1'] } },
    ],
    formulaSteps: () => [
      { body: { type: 'growers', key: '1', formula: 'name' } },
      { body: { type: 'growers', key: '5', formula: 'CONCATENATE(name, credit_limit)' } },
      { body: { type: 'invoices', key: '1', formula: 'reference' } },
      { body: { type: 'bookings', key: '1', formula: 'CONCATENATE(grower.name, TEXT(count(invoices)))' } },
    ],
    sample: () => jobs().map((j) => ({ body: { job: j, keys: ['1', '5', '17'] } })),
    drafts: () => [{}],
    beginDraft: () => [{ body: { job: { type: 'growers' } } }],
    // One's own words are one's own.
    draft: () => [{ path: { id: nobody } }],
    keepDraft: () => [{ path: { id: ids.readerDraft! }, body: { job: {} } }],
    dropDraft: () => [{ path: { id: nobody } }],
    previews: () => [{ query: { limit: '200' } }],
    makePreview: () => jobs().map((j) => ({ body: j })),
    preview: previews,
    previewEvents: previews,
    previewRecords: () => journals(previews()),
    previewDifferences: () =>
      previews().flatMap((a) => previews().map((b) => ({ ...a, query: { with: b.path!.id! } }))),
    dropPreview: previews,
    runs: () => [{ query: { limit: '200' } }],
    startRun: () => previews().map(({ path }) => ({ body: { preview: path!.id } })),
    run: () => runs(),
    runEvents: () => runs(),
    runRecords: () => journals(runs()),
    runBatches: () => runs(),
    changes: () => [
      {},
      { query: { type: 'invoices' } },
      { query: { type: 'invoices', record: '1' } },
      { query: { text: 'invoices' } },
    ],
    runCauses: () => runs(),
    recheckRun: () => runs({ body: {} }),
    runLog: () => runs(),
    runCourse: () => runs(),
    changeRun: () => runs({ body: { pace: 90 } }),
    pauseRun: () => runs(),
    continueRun: () => runs(),
    stopRun: () => runs(),
    undoRun: () => runs({ body: {} }),
    retryRun: () => runs({ body: {} }),
  };

  const asked = async (name: RouteName, ask: Ask, token?: string) => {
    const route: Route = routes[name];
    const path = route.path.replace(/:(\w+)/g, (_, p: string) => encodeURIComponent(ask.path?.[p] ?? 'missing'));
    const query = ask.query ? `?${new URLSearchParams(ask.query as Record<string, string>).toString()}` : '';
    const response = await fetch(w.base + path + query, {
      method: route.method.toUpperCase(),
      headers: {
        'Content-Type': 'application/json',
        ...(token ? { Authorization: `Bearer ${token}` } : {}),
      },
      ...(route.body ? { body: JSON.stringify(ask.body ?? {}) } : {}),
      signal: AbortSignal.timeout(20_000),
    });
    return { status: response.status, text: await response.text() };
  };
  /** What a person said themselves may be said back to them. */
  const told = (text: string, ask: Ask): string[] => {
    const [answer, said] = [text.toLowerCase(), JSON.stringify(ask).toLowerCase()];
    return secrets.map((s) => s.toLowerCase()).filter((s) => answer.includes(s) && !said.includes(s));
  };

  const names_ = Object.keys(routes) as RouteName[];

  it.each(names_)('%s: nobody who is not signed in', async (name) => {
    if ((routes[name] as Route).open) return;
    const ask = asks[name]()[0] ?? {};
    expect((await asked(name, ask)).status).toBe(401);
  });

  describe.each(['piers', 'wren'])('%s', (login) => {
    let token: string;
    beforeAll(async () => {
      const { password } = demoAccounts.find((a) => a.login === login)!;
      token = await tokenOf(w.base, login, password);
    });

    it.each(names_)('%s', async (name) => {
      for (const ask of asks[name]()) {
        const { status, text } = await asked(name, ask, token);
        expect(`${JSON.stringify(ask)} ${status}`).not.toMatch(/ 5\d\d$/);
        expect([ask, told(text, ask)]).toEqual([ask, []]);
        if (forAdministrators.includes(name)) expect([name, status]).toEqual([name, 403]);
      }
    });
  });

  it('an administrator is refused none of what is for administrators, and sees all of it', async () => {
    const { text } = await asked('search', { path: { type: 'growers' }, body: { keys: ['17'] } }, w.adminToken);
    expect(text).toContain('Secretgrove');
    for (const name of ['accounts', 'roles', 'rights'] as const)
      expect((await asked(name, {}, w.adminToken)).status).toBe(200);
    expect((await asked('run', { path: { id: ids.invoiceRun! } }, w.adminToken)).text).toContain('invoices');
  });

  it('what happens to withheld records, fields and types changes no answer', async () => {
    // The editor's own: made under today's rights, of records some of which are withheld by now.
    const own = async (edits: object[], filter: string) =>
      done(w.editor, { selection: { type: 'growers', filter }, edits, safety: { pace: 100 } } as never);
    const toWithheld = (key: number) => w.sql.query(`update growers set valley = 'south' where id = ${key}`);
    await w.sql.query(`update growers set valley = 'north' where id between 21 and 25`);
    const { rows: called } = await w.sql.query<{ name: string }>(
      'select name from growers where id in (22, 23) order by id',
    );
    const hush = await own([{ kind: 'set', field: 'note', value: 'mine' }], 'id IN (21, 22, 23, 24)');
    const named = await done(w.editor, {
      selection: { type: 'contacts', filter: 'grower = 22 OR id = 3' },
      edits: [{ kind: 'set', field: 'grower', value: '23' }],
      safety: { pace: 100 },
    });
    const open = await previewed(w.editor, {
      selection: { type: 'growers', filter: 'id IN (21, 22, 23, 25)' },
      edits: [{ kind: 'set', field: 'note', value: 'again' }],
    });
    await w.sql
      .query(`set session_replication_role = replica; update growers set name = 'Quietwood Orchards' where id = 22;
      update growers set name = 'Stillbrook Farm' where id = 23`);
    await toWithheld(22);
    await toWithheld(23);
    const { password } = demoAccounts.find((a) => a.login === 'piers')!;
    const token = await tokenOf(w.base, 'piers', password);
    const mine = [hush.id, named.id].map((id) => ({ path: { id } }));
    const questions: [RouteName, Ask][] = [
      ...names_
        .filter(
          (name) =>
            (routes[name] as Route).method === 'get' && !['previews', 'runEvents', 'previewEvents'].includes(name),
        )
        .flatMap((name) => asks[name]().map((ask): [RouteName, Ask] => [name, ask])),
      ...(
        [
          'search',
          'values',
          'cross',
          'explain',
          'sample',
          'formulaSteps',
          'constants',
          'guessPlan',
          'keepValues',
        ] as const
      ).flatMap((name) => asks[name]().map((ask): [RouteName, Ask] => [name, ask])),
      ...(
        ['run', 'runRecords', 'runBatches', 'runCauses', 'runLog', 'recheckRun', 'undoRun', 'retryRun'] as const
      ).flatMap((name) => mine.map((ask): [RouteName, Ask] => [name, { ...ask, body: {} }])),
      ...(['preview', 'previewRecords'] as const).map((name): [RouteName, Ask] => [name, { path: { id: open.id } }]),
      ['history', { path: { type: 'growers', key: '22' } }],
      ['history', { path: { type: 'growers', key: '21' } }],
      ['changes', { query: { text: 'stillbrook' } }],
      ['changes', { query: { type: 'growers', record: '22' } }],
      ['countSelection', { path: { name: 'of both' } }],
      ['makePreview', { body: job('growers', 'id IN (21, 22, 23, 24)', 'note', 'z') }],
      ['handover', { path: { type: 'staff', person: '2' } }],
    ];
    // Ids and moments are others each time.
    const plain = (text: string): string =>
      text
        .replace(/[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g, 'id')
        .replace(/\d{4}-\d{2}-\d{2}T[\d:.]+(Z|\+00:00)/g, 'moment');
    const all = async (): Promise<string[]> => {
      const answers: string[] = [];
      for (const [name, ask] of questions) {
        const { status, text } = await asked(name, ask, token);
        expect([name, ask, status >= 500]).toEqual([name, ask, false]);
        // Of what is withheld no name comes back, by whatever it was called.
        const names = ['quietwood', 'stillbrook', ...called.map((c) => c.name.toLowerCase())];
        expect([name, ask, names.filter((n) => text.toLowerCase().includes(n))]).toEqual([name, ask, []]);
        answers.push(`${name} ${JSON.stringify(ask)} ${status} ${plain(text)}`);
      }
      return answers;
    };
    await all();
    const before = await all();
    await w.sql.query(`set session_replication_role = replica;
      update growers set name = 'Changed by hand', note = 'by hand', code = 'G-HAND-' || id, owner = 1 where valley = 'south';
      delete from growers where id = 23;
      update growers set credit_limit = 1 + id % 7;
      update invoices set number = 'HAND-' || id, net = 1, state = 'overdue', dunning_level = 3;
      delete from invoices where id > 1000;
      alter table invoices add column by_hand text default 'x';
      alter table invoices rename column dunning_level to dunned`);
    w.services.catalogs.refresh();
    const after = await all();
    for (const [i, answer] of before.entries()) expect(after[i]).toBe(answer);
    expect((await w.editor.runRecords(hush.id, {})).records.map((r) => r.key)).toEqual(['21', '24']);
    expect((await w.editor.run(named.id)).sentence).toMatch(/set grower to a record that you may not see\.$/);
    expect((await w.admin.run(named.id)).sentence).toContain(`set grower to ${called[1]!.name}.`);
    // Made while the maker saw other records: its counts and values are of those.
    await w.admin.addRight({ role: 'editor', effect: 'deny', acts: ['see'], types: ['growers'], filter: 'id = 24' });
    for (const call of [
      () => w.editor.run(hush.id),
      () => w.editor.preview(open.id),
      () => w.editor.undoRun(hush.id, {}),
    ])
      expect(await refusedWith(call())).toMatchObject({
        code: 'not_permitted',
        detail: expect.stringMatching(/rights have changed/),
      });
    expect((await w.editor.runs({})).map((r) => r.id)).not.toContain(hush.id);
  }, 240_000);

  it('hidden from all is hidden from administrators too, but where they set it', async () => {
    await w.admin.setField('growers', 'credit_limit', { hidden: true });
    const places: RouteName[] = [
      'type',
      'search',
      'record',
      'history',
      'values',
      'explain',
      'run',
      'runRecords',
      'preview',
      'runs',
      'previews',
    ];
    for (const name of places)
      for (const ask of asks[name]()) {
        const { text } = await asked(name, ask, w.adminToken);
        const found = told(text, ask).filter((s) => ['credit_limit', 'credit limit', '987654'].includes(s));
        expect([name, ask, found]).toEqual([name, ask, []]);
      }
    const set = await w.admin.typeSettings('growers');
    expect(set.fields.find((f) => f.name === 'credit_limit')).toMatchObject({ hidden: true });
    await w.admin.setField('growers', 'credit_limit', { hidden: false });
  });
});
