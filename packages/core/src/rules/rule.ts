import { clip, fieldOf, type Catalog, type Field, type RecordType } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import { editSentence, type Edit } from '../edits/edit';
import { lowerAt } from '../job/job';
import { always, and, call, fieldTree, isBlank, not } from '../language/build';
import { checkCondition } from '../language/check';
import { walkOwn, type Checked } from '../language/checked';
import type { Context } from '../language/context';
import type { OwnRule } from '../language/own-rule';
import { parse } from '../language/parse';
import { quote } from '../language/print';
import { fitToField } from '../language/value';
import { conditionWords, list } from '../language/words';
import { fail, inside, within } from '../problem';

/** One value of a field, and what it may become, or what may stand beside it; a blank is the empty text. */
export interface Allowed {
  readonly from: string;
  readonly to: readonly string[];
}

/** Such a line as it is typed: values with commas between, “blank” for the blank. */
export function readAllowed(from: string, to: string): { from: string; to: string[] } {
  const value = (text: string): string => (text.trim().toLowerCase() === 'blank' ? '' : text.trim());
  const all = to.split(',').filter((t) => t.trim() !== '');
  return { from: value(from), to: all.map(value) };
}

/** What must hold for records of a type, as a person says it: exactly one of `holds`, `transitions` and `choices`. */
export interface RuleSaid {
  readonly type: string;
  /** What a person is told when it is broken. */
  readonly message: string;
  /** Records it is about; all where nothing is said. */
  readonly where?: string;
  /** What must be true of them as they become; old(field) is what a field was. Blanks that leave it open break it too. */
  readonly holds?: string;
  /** What a field may become from what it is. From a value that is not listed it may become anything. */
  readonly transitions?: { readonly field: string; readonly allowed: readonly Allowed[] };
  /** Which values of a field go with a value of another, `by`. Beside one that is not listed any may stand; a blank always may. */
  readonly choices?: { readonly field: string; readonly by: string; readonly allowed: readonly Allowed[] };
  /** What puts a record right that breaks it. */
  readonly mend?: readonly Edit[];
}

/** Checks a rule; throws problems whose place is a member of it. */
export function checkRule(name: string, said: RuleSaid, catalog: Catalog, context: Context): OwnRule {
  const type = within('type', () => catalog.type(said.type));
  within('type', () => keyFields(type));
  const ways = [said.holds, said.transitions, said.choices].filter((way) => way !== undefined);
  if (ways.length !== 1)
    fail('bad_value', 'A rule says one of three: what holds, what a field may become, or which choices go together.', {
      where: 'holds',
    });
  if (said.message.trim() === '')
    fail('bad_value', 'Say what a person is told when it is broken.', { where: 'message' });
  const condition = (where: 'where' | 'holds', text: string): Checked =>
    within(where, () => checkCondition(parse(text), catalog, type, context));
  const only = said.where?.trim() ? condition('where', said.where) : null;
  const fails =
    said.holds !== undefined
      ? untrue(condition('holds', said.holds))
      : said.transitions
        ? inside('transitions', () => notAllowedNext(type, said.transitions!))
        : inside('choices', () => notTogether(type, said.choices!));
  const about = { type, catalog, context: { ...context, ofEdit: true } };
  said.mend?.forEach((edit, i) => lowerAt(edit, [`mend[${i}]`], about));
  const broken = and(only, fails)!;
  const own = new Set<string>();
  let ofChange = false;
  walkOwn(broken, (node) => {
    if (node.kind !== 'field') return;
    own.add((node.at.through[0]?.field ?? node.at.field).name);
    ofChange ||= node.at.isOld === true;
  });
  const fields = said.transitions ? [fieldOf(type, said.transitions.field).name] : [...own];
  return { name, message: said.message.trim(), broken, reads: broken, fields, ofChange };
}

/** Not true, be it false or open. */
function untrue(condition: Checked): Checked {
  return not(call('coalesce', 'yes_no', condition, { ...always, text: 'false' } as Checked));
}

/** One of the listed values that becomes another than it may. */
function notAllowedNext(type: RecordType, { field: name, allowed }: NonNullable<RuleSaid['transitions']>): Checked {
  const field = narrowable(type, name, 'field');
  const [old, fresh] = [before(type, field), fieldTree(type, field)];
  return any(allowed, (line, i) => {
    const where = `allowed[${i}]`;
    // To stay as it is, is always allowed.
    const to = [line.from, ...line.to].map((v) => is(field, fresh, v, where));
    return and(is(field, old, line.from, where), untrue({ kind: 'or', operands: to }))!;
  });
}

function notTogether(type: RecordType, { field: name, by: other, allowed }: NonNullable<RuleSaid['choices']>): Checked {
  const field = narrowable(type, name, 'field');
  const by = narrowable(type, other, 'by');
  if (field.name === by.name) fail('bad_value', 'A field is narrowed by another, not by itself.', { where: 'by' });
  const own = fieldTree(type, field);
  return any(allowed, (line, i) => {
    const where = `allowed[${i}]`;
    const among = line.to.map((v) => is(field, own, v, where));
    const fits = among.length > 0 ? untrue({ kind: 'or', operands: among }) : always;
    return and(is(by, fieldTree(type, by), line.from, where), not(isBlank(own)), fits)!;
  });
}

function any(allowed: readonly Allowed[], each: (line: Allowed, i: number) => Checked): Checked {
  if (allowed.length === 0) fail('bad_value', 'Say for at least one value what is allowed.', { where: 'allowed' });
  const values = allowed.map((line) => line.from);
  const twice = values.find((v, i) => values.indexOf(v) !== i);
  if (twice !== undefined)
    fail('bad_value', `“${clip(twice)}” has two lines; put them together.`, { where: 'allowed' });
  return { kind: 'or', operands: allowed.map(each) };
}

/** A field with values that can be listed. */
function narrowable(type: RecordType, name: string, where: string): Field {
  return within(where, () => {
    const field = fieldOf(type, name);
    if (field.refersTo !== null || field.base === 'list' || field.base === 'other')
      fail('type_mismatch', `The values of ${field.label} cannot be listed one by one; say a condition instead.`);
    return field;
  });
}

function is(field: Field, operand: Checked, text: string, where: string): Checked {
  if (text.trim() === '') return isBlank(operand);
  const stored = within(where, () => fitToField(field, text));
  return {
    kind: 'compare',
    op: '=',
    left: operand,
    right: { kind: 'value', dbType: field.dbType, text: stored },
  };
}

/** What a field was before it is changed. */
function before(type: RecordType, field: Field): Checked {
  return { kind: 'field', at: { through: [], type, field, isOld: true } };
}

/** The rule in words: “where status is Active, kind is Existing”. */
export function ruleWords(said: RuleSaid, catalog: Catalog, context: Context): string {
  const type = catalog.find(said.type);
  if (!type) return said.holds ?? '';
  const condition = (text: string): string => {
    try {
      return conditionWords(checkCondition(parse(text), catalog, type, context));
    } catch {
      return text.trim();
    }
  };
  const about = said.where?.trim() ? `where ${condition(said.where)}, ` : '';
  if (said.holds !== undefined) return `${about}${condition(said.holds)}`;
  const { field, allowed } = said.transitions ?? said.choices!;
  const valueWords = (name: string) => (text: string) => {
    const of = type.fields.find((f) => f.name === name);
    return text === '' ? 'blank' : (of?.choices?.find((c) => c.value === text)?.label ?? text);
  };
  const label = (name: string): string => (type.fields.find((f) => f.name === name)?.label ?? name).toLowerCase();
  const to = (values: readonly string[]): string =>
    values.length === 0 ? 'nothing' : list(values.map(valueWords(field)), 'or');
  if (said.transitions)
    return `${about}${label(field)}: ${allowed.map((l) => `${valueWords(field)(l.from)} → ${to(l.to)}`).join('; ')}`;
  const by = said.choices!.by;
  return `${about}${label(field)} by ${label(by)}: ${allowed.map((l) => `${valueWords(by)(l.from)}: ${to(l.to)}`).join('; ')}`;
}

/** What the rule's mend does, in words; null where it has none. */
export function mendWords({ type: id, mend }: RuleSaid, catalog: Catalog): string | null {
  const type = catalog.find(id);
  if (!mend || mend.length === 0 || !type) return null;
  return list(
    mend.map((edit) => editSentence(edit, { type, catalog, nameOf: () => undefined })),
    'and',
  );
}

/** The job that mends what breaks a rule; throws where it has no mend. */
export function jobOfRule({ name, type, mend }: { name: string; type: string; mend: readonly Edit[] | null }) {
  if (!mend || mend.length === 0)
    return fail('no_edits', `The rule “${clip(name)}” has no mend: nothing says what puts a record right.`);
  return {
    selection: { type, filter: `breaks_rule(${quote(name)})` },
    edits: mend,
    why: `Mends what breaks the rule “${name}”`,
  };
}
