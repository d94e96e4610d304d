import { readFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { Client } from '@tantamos/client';
import { ask, hasTerminal } from '../ask';
import { talk } from '../output';
import { client, forget, keep, usualService } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

export const signIn: Verb = (program) => {
  program
    .command('sign-in')
    .description('sign in, and keep a token for the next commands')
    .option('--service <url>', 'where the service is', process.env.TANTAMOS_SERVICE ?? usualService)
    .option('--login <name>', 'your login')
    .option('--password-stdin', 'read the password from standard input')
    .action(
      acting(async (o: { service: string; login?: string; passwordStdin?: true }) => {
        if (!/^https?:\/\/\S+$/.test(o.service)) throw new UsageError(`“${o.service}” is no address of a service.`);
        const login = o.login ?? (await asked('Login: ', '--login NAME'));
        const password = o.passwordStdin
          ? readFileSync(0, 'utf8').replace(/\r?\n$/, '')
          : await asked('Password: ', '--password-stdin', true);
        const service = o.service.replace(/\/$/, '');
        const session = await new Client({ base: service }).signIn({
          login,
          password,
          kind: 'token',
          label: `cli on ${hostname()}`,
        });
        keep({ service, token: session.token! });
        talk(`Signed in at ${service} as ${session.name} (${session.roleLabel.toLowerCase()}).`);
      }),
    );

  program
    .command('sign-out')
    .description('give the token back')
    .action(
      acting(async () => {
        await client().signOut();
        forget();
        talk('Signed out.');
      }),
    );
};

async function asked(question: string, option: string, hidden = false): Promise<string> {
  if (!hasTerminal()) throw new UsageError(`Without a terminal, say ${option}.`);
  return ask(question, hidden);
}
