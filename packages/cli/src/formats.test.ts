import { spawn } from 'node:child_process';
import { join } from 'node:path';
import type { PreviewView, RunView } from '@tantamos/contract';
import { noTotals } from '@tantamos/core';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { lineTeller } from './progress';
import { openCli, type Cli } from './testing/cli';

describe('what the command line gives to people and to programs', () => {
  let w: Workspace;
  let cli: Cli;
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    cli.remove();
    await w.close();
  });
  const preview = (from: number, to: number, ...more: string[]) =>
    cli(['preview', 'bookings', '-f', `id BETWEEN ${from} AND ${to}`, '--set', `note=of ${from}`, ...more]);

  it('tables are no wider than the terminal, cut values end with …, and what is left out is named', async () => {
    const narrow = { COLUMNS: '80' };
    for (const args of [
      ['find', 'bookings', '--limit', '5'],
      ['types'],
      ['fields', 'bookings'],
      ['values', 'bookings', 'note,owner,grower'],
      ['handover', 'Tobias Fenwick'],
      ['runs'],
      ['rule', 'list'],
    ]) {
      const { out } = await cli(args, '', narrow);
      expect(Math.max(...out.split('\n').map((line) => line.length))).toBeLessThanOrEqual(80);
    }
    const found = await cli(['find', 'bookings', '--limit', '5'], '', narrow);
    expect(found.out).toContain('…');
    expect(found.err).toMatch(/\d+ more columns, for which the window is too narrow: .*updated_at/);
    // Without a terminal everything is there; a long value is cut, and says so.
    const wide = await cli(['find', 'bookings', '--limit', '5']);
    expect(wide.out.split('\n')[0]).toContain('updated_at');
    await w.sql.query(`update bookings set note = repeat('long ', 30) where id = 7`);
    expect((await cli(['find', 'bookings', '-f', 'id = 7', '--show', 'note'])).out).toMatch(/long lo?n?g?…\n/);
  });

  it('gives a run as JSON, alone on stdout and whole on one line of jsonl', async () => {
    await preview(10, 19);
    const ran = await cli(['run', 'last', '--expect', '10', '--format', 'jsonl', '--quiet']);
    expect([ran.code, ran.err, ran.out.trim().split('\n').length]).toEqual([0, '', 1]);
    const run = JSON.parse(ran.out) as RunView;
    expect(run).toMatchObject({ state: 'finished', totals: { changed: 10 } });
    for (const verb of ['watch', 'result'])
      expect((await cli([verb, run.id, '--format', verb === 'watch' ? 'json' : 'jsonl'])).code).toBe(0);
    const stopped = await cli(['stop', run.id, '--format', 'json']);
    expect(stopped.code).toBe(1);
    const undo = await cli(['undo', run.id, '--expect', '10', '--format', 'json', '--quiet']);
    expect(JSON.parse(undo.out)).toMatchObject({ kind: 'undo', state: 'finished', totals: { changed: 10 } });
    const again = await preview(20, 24, '--format', 'jsonl');
    expect(again.out.trim().split('\n')).toHaveLength(1);
    expect((JSON.parse(again.out) as PreviewView).totals.will_change).toBe(5);
    expect((await cli(['preview', 'bookings', '-f', 'id = 1', '--set', 'note=x', '--format', 'csv'])).code).toBe(2);
  });

  it('a started preview is found by its short id', async () => {
    const made = JSON.parse((await preview(30, 34, '--format', 'json')).out) as PreviewView;
    const short = made.id.slice(-8);
    expect((await cli(['run', short, '--expect', '5', '--quiet'])).code).toBe(0);
    const looked = await cli(['look', short, '--format', 'json', '--limit', '9']);
    expect([looked.code, (JSON.parse(looked.out) as unknown[]).length]).toEqual([0, 5]);
    expect((await cli(['run', short, '--expect', '5'])).err).toContain('has been started already');
    // The refused run is the last one that was asked for: “last” is not the one before.
    expect(await cli(['undo', 'last', '--expect', '5'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('The last run from this terminal failed'),
    });
  });

  it('in a pipe a line comes when the state changes, and every five seconds otherwise', () => {
    const lines: string[] = [];
    let now = 0;
    const teller = lineTeller(
      () => now,
      (line) => lines.push(line),
    );
    const at = (ms: number, state: string, changed: number): void => {
      now = ms;
      const totals = { ...noTotals, matched: 100, changed, not_yet: 100 - changed };
      const parts = [{ done: 'changed', label: 'Bookings', totals }];
      teller.tell({ state, totals, parts, reason: null, givesWay: false } as unknown as RunView);
    };
    for (let ms = 0; ms <= 12_000; ms += 100) at(ms, ms === 0 ? 'queued' : 'running', Math.floor(ms / 200));
    at(12_100, 'finished', 100);
    expect(lines.map((l) => l.split(':')[0])).toEqual(['queued', 'running', 'running', 'running', 'finished']);
  });

  it('Ctrl-C ends the watching with a code of its own; the run continues', async () => {
    await preview(100, 199, '--batch-size', '5', '--per-second', '5');
    const child = spawn(
      process.execPath,
      [join(__dirname, '../bin/tantamos.js'), 'run', 'last', '--expect', '100', '--no-ask'],
      { env: { PATH: process.env.PATH, HOME: cli.home, NO_COLOR: '1' } },
    );
    let err = '';
    let interrupted = false;
    child.stderr.on('data', (text: Buffer) => {
      err += text.toString();
      if (!interrupted && err.includes('running')) interrupted = child.kill('SIGINT');
    });
    const code = await new Promise((resolve) => child.once('close', resolve));
    expect([code, err]).toEqual([7, expect.stringMatching(/The run continues. Watch it again: tantamos watch \w{8}/)]);
    const [run] = await w.admin.runs({ limit: 1 });
    expect(run!.state).toBe('running');
    await w.admin.stopRun(run!.id);
  });

  it('lists its verbs by the steps of a job', async () => {
    const { out } = await cli(['--help']);
    const headings = out.split('\n').filter((line) => /^[A-Z][\w ]+:$/.test(line));
    expect(headings.slice(0, 7)).toEqual([
      'Options:',
      'Begin:',
      'Find records:',
      'Write a change:',
      'Preview:',
      'Run and undo:',
      'Result:',
    ]);
  });

  it('suggests people by name where a name is one person’s', async () => {
    await w.sql.query(
      `insert into staff select (jsonb_populate_record(s, '{"id": 90001, "name": "Nobody Here", "email": "nobody@meadowline.example"}')).* from staff s limit 1`,
    );
    const { out } = await cli(['explain', 'bookings', '-f', `owner = 'Nobody Here'`]);
    expect(out).toMatch(/what does occur: owner = '[A-Z]\w+ \w+'/);
  });

  it('the first records of an order are listed in that order', async () => {
    const { out } = await cli([
      'find',
      'bookings',
      '--first',
      '3',
      '--by',
      '-total,-id',
      '--show',
      'id',
      '--format',
      'csv',
    ]);
    const ids = (await w.sql.query('select id from bookings order by total desc nulls last, id desc limit 3')).rows;
    expect(out.trim().split('\r\n').slice(1)).toEqual(ids.map((r) => String(r.id)));
  });
});
