import { spawn } from 'node:child_process';
import { join } from 'node:path';

const script = join(__dirname, '../../../../scripts/chaos.mjs');

describe('a minute of everything going wrong at once', () => {
  it('leaves records, outcomes, journal and audit agreeing', async () => {
    const child = spawn(process.execPath, [script, '--built', '--minutes', '1', '--kill', '2500', '--crash', '8000'], {
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let said = '';
    let talk = '';
    child.stdout.on('data', (text: Buffer) => (said += text.toString()));
    child.stderr.on('data', (text: Buffer) => (talk += text.toString()));
    const code = await new Promise((resolve) => child.once('exit', resolve));
    if (code !== 0) throw new Error(`${talk}${said}`);
    const told = JSON.parse(said) as Record<string, number> & { wrong: string[] };
    expect(told.wrong).toEqual([]);
    for (const what of ['runs', 'changed', 'handEdits', 'locks', 'cuts', 'serviceKills', 'crashes'])
      expect([what, told[what]! > 0]).toEqual([what, true]);
  }, 240_000);
});
