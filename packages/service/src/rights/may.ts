import type { MayView, RightLineView } from '@tantamos/contract';
import {
  actWords,
  checkLine,
  fewRecords,
  isAboutTypes,
  isLimited,
  list,
  lineCondition,
  lineWords,
  namesIn,
  ProblemError,
  rightActs,
  type Catalog,
  type Context,
  type NameQuestion,
  type RecordType,
  type RightAct,
  type Rights,
} from '@tantamos/core';
import type { Account } from '../accounts/accounts';
import type { KeptLine } from './store';

/** A line as a sentence, and why it means nothing where it does not. */
export function lineView(line: KeptLine, catalog: Catalog, context: Context): RightLineView {
  const { account: _, ...shown } = line;
  return { ...shown, words: lineWords(line, catalog), trouble: troubleOf(line, catalog, context) };
}

/**
 * Throws where a line could not mean anything; a filter is read as the account it is for would. Answers the names of records
 * in the filter.
 */
export function mustMeanSomething(
  line: Omit<KeptLine, 'id' | 'login'>,
  catalog: Catalog,
  context: Context,
): readonly NameQuestion[] {
  checkLine(line, catalog);
  if (line.filter === null) return [];
  try {
    return namesIn(lineCondition(line.filter, catalog.type(line.types![0]!), catalog, context));
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...more] = error.problems.map((p) => ({ ...p, where: 'filter' }));
    throw new ProblemError(first!, ...more);
  }
}

function troubleOf(line: KeptLine, catalog: Catalog, context: Context): string | null {
  try {
    mustMeanSomething(line, catalog, context);
    return null;
  } catch (error) {
    if (error instanceof ProblemError) return error.message;
    throw error;
  }
}

/** What a person may do, act by act and type by type, and the lines that decide it: on types they may not see, nothing. */
export function mayView(account: Account, rights: Rights, lines: readonly RightLineView[], catalog: Catalog): MayView {
  const { login, name, role, roleLabel, active } = account;
  const byType = rightActs.filter(isAboutTypes);
  return {
    login,
    name,
    role,
    roleLabel,
    active,
    general: rightActs.filter((act) => !isAboutTypes(act)).map((act) => verdict(act, null, rights)),
    types: catalog.types.map((type) => ({
      type: type.id,
      label: type.label,
      acts: byType.map((act) => unseen(act, type, rights) ?? verdict(act, type, rights)),
    })),
    lines,
  };
}

type Verdict = MayView['general'][number];

/** Why nothing may be done on a type: it is not there for this person. */
function unseen(act: RightAct, type: RecordType, rights: Rights): Verdict | null {
  const no = (why: string, lines: Verdict['lines']): Verdict => ({
    act,
    may: 'none',
    words: `may not ${actWords(act)}: ${why}`,
    lines,
  });
  const see = verdict('see', type, rights);
  if (see.may === 'none') return act === 'see' ? see : no('may not see them', see.lines);
  return type.hidden && !rights.has('administer') ? no('the type is hidden', []) : null;
}

function verdict(act: RightAct, type: RecordType | null, rights: Rights): Verdict {
  const { may, lines } = rights.on(act, type?.id ?? null);
  const deciding = lines.map((l) => l.id);
  if (may === 'none') {
    const why = lines.length > 0 ? 'a line denies it' : 'no line allows it';
    return { act, may, words: `may not ${actWords(act)}: ${why}`, lines: deciding };
  }
  const limits = type ? limitsOf(act, type, rights) : [];
  const words = [`may ${actWords(act)}`, ...limits].join(', ');
  return { act, may: limits.length > 0 ? 'some' : 'all', words, lines: deciding };
}

function limitsOf(act: RightAct, type: RecordType, rights: Rights): string[] {
  if (act === 'change_many') {
    const most = rights.most(type.id);
    return most === null ? [] : [`up to ${most.toLocaleString('en-US')} records a run`];
  }
  if (act !== 'see' && act !== 'change') return [];
  const fields = type.fields.filter((f) => !f.hidden && (act === 'see' || f.notEditable === null));
  const may = fields.filter((f) =>
    act === 'see'
      ? type.key.includes(f.name) || rights.fields(type.id)(f.name).sees
      : rights.fields(type.id)(f.name).changes,
  );
  const missing = fields.filter((f) => !may.includes(f)).map((f) => f.label.toLowerCase());
  const named = (labels: readonly string[]): string =>
    list(
      labels.map((l) => l.toLowerCase()),
      'and',
    );
  const filters =
    act === 'see'
      ? [rights.seen(type.id)]
      : may
          .map((f) => rights.fields(type.id)(f.name).changed)
          .filter((l, i, all) => all.findIndex((o) => JSON.stringify(o) === JSON.stringify(l)) === i);
  return [
    ...(missing.length === 0
      ? []
      : missing.length <= may.length
        ? [`but not ${named(missing)}`]
        : [`only ${named(may.map((f) => f.label))}`]),
    ...filters
      .filter(isLimited)
      .map(({ any, none }) =>
        [
          any === null ? '' : any.length === 0 ? 'on no record' : `where ${any.join(' or ')}`,
          none.length > 0 ? `not where ${none.join(' or ')}` : '',
        ]
          .filter(Boolean)
          .join(', '),
      ),
    ...(act === 'change' && rights.most(type.id) === fewRecords ? [`${fewRecords} records a run`] : []),
  ];
}
