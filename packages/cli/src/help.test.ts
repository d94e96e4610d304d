import { spawn } from 'node:child_process';
import { editKinds } from '@tantamos/core';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { examples } from './examples';
import { leavesOf } from './help';
import { makeProgram } from './program';
import { openCli, type Cli } from './testing/cli';

describe('the help of the command line', () => {
  const verbs = [...leavesOf(makeProgram())].filter(({ name }) => name !== 'complete');

  it('gives two examples of each verb, and of nothing else', () => {
    expect(Object.keys(examples).sort()).toEqual(verbs.map(({ name }) => name).sort());
  });

  it('shows only options and verbs that there are', () => {
    for (const { name, command } of verbs) {
      const known = command.options.flatMap((o) => [o.long, o.short]);
      for (const line of examples[name]!) {
        // What stands in quotes is a value.
        const words = line.replace(/"[^"]*"/g, '""').split(/\s+/);
        const verb = words.slice(words.indexOf('tantamos') + 1).join(' ');
        expect([line, verb.startsWith(name) || verb.startsWith(name.split(' ')[0]!)]).toEqual([line, true]);
        for (const option of words.filter((w) => /^--?[a-z]/.test(w) && !/^-[a-z]{2}/.test(w)))
          expect([line, option, known.includes(option)]).toEqual([line, option, true]);
      }
    }
  });
});

describe('help and completion as they are met', () => {
  let w: Workspace;
  let cli: Cli;
  beforeAll(async () => {
    w = await openWorkspace({ template: 'meadowline_template' });
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    cli.remove();
    await w.close();
  });
  const offered = async (...words: string[]) =>
    (await cli(['complete', '--', ...words])).out.split('\n').filter(Boolean);

  it('begins with the examples, and tells the options of selections once', async () => {
    const find = await cli(['find', '--help']);
    expect(find.out).toMatch(/^ {2}tantamos find bookings -f/);
    expect(find.out).not.toContain('--with-itself');
    expect(find.out).toContain('tantamos help selection');
    expect((await cli(['help', 'selection'])).out).toContain('--with-itself');
  });

  it('completes verbs, options, types, fields and their words', async () => {
    expect(await offered('fi')).toEqual(['fields', 'file', 'find']);
    expect(await offered('selection', 'e')).toEqual(['export']);
    expect(await offered('find', 'b')).toEqual(['bookings']);
    expect(await offered('find', 'bookings', '--ran')).toEqual(['--random']);
    expect(await offered('preview', 'bookings', '--set', 're')).toEqual(['reference=', 'region=']);
    expect(await offered('preview', 'bookings', '-f', 'x', '--clear', 'no')).toEqual(['note']);
    expect(await offered('find', 'bookings', '-f', '"val')).toEqual(['valley']);
    for (const kind of editKinds.filter((k) => !['set', 'fill', 'put'].includes(k)))
      expect([kind, await offered('preview', 'bookings', `--${kind}`, 'no')]).toEqual([kind, ['note']]);
    expect(await offered('find', 'bookings', '--format', 'j')).toEqual(['json', 'jsonl']);
    expect(await offered('cross', 'bookings', 'status', 'val')).toEqual(['valley']);
    expect(await offered('run', 'l')).toEqual(['last']);
    expect(await offered('find', 'nothing', '--sort', '')).toEqual([]);
    expect(await offered('completion', '')).toEqual(['bash', 'fish', 'zsh']);
  });

  it('is a script that the shell takes', async () => {
    const { out } = await cli(['completion', 'bash']);
    const asked = `${out}
      tantamos() { "${process.execPath}" "${__dirname}/../bin/tantamos.js" "$@"; }
      COMP_WORDS=(tantamos find book); COMP_CWORD=2; _tantamos; echo "\${COMPREPLY[@]}"`;
    const child = spawn('bash', ['-c', asked], { env: { PATH: process.env.PATH, HOME: cli.home } });
    let said = '';
    child.stdout.on('data', (text: Buffer) => (said += text.toString()));
    await new Promise((resolve) => child.once('close', resolve));
    expect(said.trim()).toBe('bookings');
    for (const shell of ['zsh', 'fish'])
      expect((await cli(['completion', shell])).out).toContain('tantamos complete --');
    expect(await cli(['completion', 'tcsh'])).toMatchObject({ code: 2 });
  });
});
