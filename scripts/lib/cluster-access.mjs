// Who may sign in to a cluster of ours: three roles, each with a random password in a file that only one account can read.
import { createHash, createHmac, pbkdf2Sync, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';

/**
 * The superuser creates databases and roles, and nothing else. The owner has the tables and the schema `tantamos`. The
 * service works as the everyday role, which can add to frozen data but cannot alter it (docs/operate.md).
 * No role is called tantamos: PostgreSQL creates new tables in a schema of the role's own name if there is one.
 */
export const roles = { superuser: 'meadow', owner: 'meadowline_owner', everyday: 'tantamos_service' };

/** Random passwords by role. `shared`: the same for all, so that tests can create roles of their own with it. */
export function newPasswords(shared) {
  const random = () => randomBytes(24).toString('base64url');
  const one = random();
  return Object.fromEntries(Object.values(roles).map((role) => [role, shared ? one : random()]));
}

/** The passwords in a file of libpq's own format (PostgreSQL, “The Password File”); undefined if it is not there or not whole. */
export function readPasswords(file) {
  if (!existsSync(file)) return undefined;
  const lines = readFileSync(file, 'utf8').split('\n');
  const found = lines.flatMap((line) => {
    const [, role, password] = /^\*:\*:\*:([^:]+):([\w-]+)$/.exec(line) ?? [];
    return role === undefined ? [] : [[role, password]];
  });
  const passwords = Object.fromEntries(found);
  return Object.values(roles).every((role) => passwords[role]) ? passwords : undefined;
}

/** Writes them so that only this account (and root) can read them, whole or not at all. */
export function writePasswords(file, passwords) {
  const text = Object.entries(passwords).map(([role, password]) => `*:*:*:${role}:${password}\n`);
  const unfinished = `${file}.new`;
  writeFileSync(unfinished, text.join(''), { mode: 0o600 });
  chmodSync(unfinished, 0o600);
  renameSync(unfinished, file);
}

/** Writes the cluster's access rules (`hba_file`): a password for everybody, on the socket and on loopback. */
export function writeAccessRules(file) {
  const rule = (kind, address) => [kind, 'all', 'all', address, 'scram-sha-256'].join('\t');
  const rules = [
    rule('local', ''),
    rule('host', '127.0.0.1/32'),
    rule('host', '::1/128'),
    // For a standby in tests; no role of ours but the superuser has the right to replicate.
    ['local', 'replication', roles.superuser, '', 'scram-sha-256'].join('\t'),
  ];
  writeFileSync(file, `# Written by scripts/lib/cluster-access.mjs at each start.\n${rules.join('\n')}\n`);
  chmodSync(file, 0o644);
}

/** A statement that gives a role its password, as a SCRAM verifier: the password itself is in no statement and no log. */
export function passwordStatement(role, password) {
  return `alter role ${role} password '${scramVerifier(password)}';`;
}

/** What PostgreSQL stores of a password (RFC 5803; PostgreSQL, “pg_authid”). For passwords of ASCII only. */
function scramVerifier(password) {
  const iterations = 4096;
  const salt = randomBytes(16);
  const salted = pbkdf2Sync(password, salt, iterations, 32, 'sha256');
  const keyOf = (what) => createHmac('sha256', salted).update(what).digest();
  const stored = createHash('sha256').update(keyOf('Client Key')).digest('base64');
  return `SCRAM-SHA-256$${iterations}:${salt.toString('base64')}$${stored}:${keyOf('Server Key').toString('base64')}`;
}

/** Creates the two roles that are no superusers, or resets what they may do and their passwords. Can be repeated. */
export function rolesStatement(passwords) {
  const both = [roles.owner, roles.everyday]
    .map(
      (role) => `
        do $$ begin create role ${role} login; exception when duplicate_object then null; end $$;
        alter role ${role} login nosuperuser nocreatedb nocreaterole noreplication nobypassrls;
        ${passwordStatement(role, passwords[role])}`,
    )
    .join('\n');
  // So that a run can stop when replicas are behind or others wait (docs/attach.md).
  return `${both}\n grant pg_read_all_stats to ${roles.everyday};`;
}

/**
 * Gives a database and all that is in it to the owner role, and the everyday role the right to read and write its records.
 * Also for databases of earlier versions, where everything was the superuser's. Whole or not at all.
 */
export function ownershipStatement(database) {
  const { superuser, owner, everyday } = roles;
  // In public alone for the owner: what it creates in the schema tantamos is granted by the service, table by table.
  const records = ['select, insert, update, delete on tables', 'usage, select, update on sequences'];
  const granted = [
    ...records.map((what) => [`for role ${owner} in schema public`, what]),
    ...[...records, 'usage on schemas'].map((what) => [`for role ${superuser}`, what]),
  ].map(([where, what]) => `alter default privileges ${where} grant ${what} to ${everyday};`);
  return `
    begin;
    do $$
    declare
      statement text;
    begin
      for statement in
        select format('alter %s %s owner to ${owner}',
          case relkind when 'S' then 'sequence' when 'v' then 'view' when 'm' then 'materialized view'
            when 'f' then 'foreign table' else 'table' end, c.oid::regclass)
        from pg_class c join pg_namespace n on n.oid = c.relnamespace
        where relkind in ('r', 'p', 'v', 'm', 'f', 'S') and ${isOurs('n', 'c.oid', 'pg_class')}
          -- A sequence of a column follows its table.
          and not exists (select from pg_depend d where d.classid = 'pg_class'::regclass and d.objid = c.oid and d.deptype in ('a', 'i'))
        union all
        select format('alter routine %s owner to ${owner}', p.oid::regprocedure)
        from pg_proc p join pg_namespace n on n.oid = p.pronamespace where ${isOurs('n', 'p.oid', 'pg_proc')}
        union all
        select format('alter type %s owner to ${owner}', t.oid::regtype)
        from pg_type t join pg_namespace n on n.oid = t.typnamespace
        where typtype in ('e', 'd', 'r') and ${isOurs('n', 't.oid', 'pg_type')}
        union all
        select format('alter schema %I owner to ${owner}', nspname) from pg_namespace n where ${isOurs('n', 'n.oid', 'pg_namespace')}
      loop
        execute statement;
      end loop;
    end $$;
    alter database ${database} owner to ${owner};
    revoke connect, temporary on database ${database} from public;
    grant connect, temporary on database ${database} to ${everyday};
    grant usage on schema public to ${everyday};
    grant select, insert, update, delete on all tables in schema public to ${everyday};
    grant usage, select, update on all sequences in schema public to ${everyday};
    ${granted.join('\n    ')}
    commit;`;
}

const isOurs = (schema, object, catalog) =>
  `${schema}.nspname not like 'pg\\_%' and ${schema}.nspname <> 'information_schema'
   and not exists (select from pg_depend e where e.classid = '${catalog}'::regclass and e.objid = ${object} and e.deptype = 'e')`;
