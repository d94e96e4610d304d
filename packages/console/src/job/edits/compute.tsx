import { lazy, Suspense } from 'react';
import { LinkButton } from '../../components/Button';
import { Change } from '../../components/Change';
import type { EditForm, Result } from './form';

const ExpressionBox = lazy(() => import('../../components/ExpressionBox'));
const Steps = lazy(() => import('../Steps'));

/** A formula, and under it what comes out for the records in sight. */
export const compute: EditForm<'compute'> = {
  action: 'Compute',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete: ({ field, formula }) =>
    field !== undefined && formula !== undefined && formula.trim() !== '' ? { kind: 'compute', field, formula } : null,
  Form({ type, field, fields, edit, problems, results, onChange }) {
    return (
      <div className="space-y-1.5">
        <Suspense fallback={<div className="h-8 rounded border border-line-strong bg-sheet" />}>
          <ExpressionBox
            type={type}
            fields={fields}
            text={edit.formula ?? ''}
            onText={(formula) => onChange({ formula: formula === '' ? undefined : formula })}
            problems={problems.filter((p) => p.where?.endsWith('.formula'))}
            label={`Formula for ${field.label}`}
            example={exampleFor(
              field.base,
              fields.map((f) => f.path),
            )}
          />
        </Suspense>
        <Results results={results} />
        {results[0] && edit.formula !== undefined && (
          <Suspense>
            <Steps type={type.id} results={results} formula={edit.formula} />
          </Suspense>
        )}
        {edit.where === undefined && results.some((r) => r.cause !== null) && (
          <LinkButton onClick={() => onChange({ where: `(${edit.formula ?? ''}) IS NOT NULL` })}>
            Only where there is a result
          </LinkButton>
        )}
      </div>
    );
  },
};

/** What comes out for some records, or why nothing does. */
export function Results({ results }: { results: readonly Result[] }) {
  if (results.length === 0) return null;
  return (
    <dl aria-label="What comes out" className="space-y-0.5 rounded border border-line bg-sheet px-2 py-1.5 text-xs">
      {results.map(({ record, change, cause }) => (
        <div key={record} className="flex justify-between gap-3">
          <dt className="min-w-0 shrink truncate text-quiet">{record}</dt>
          <dd className={`text-right ${cause === null ? 'shrink-0' : 'text-trouble'}`}>
            {cause ?? (change && <Change old={change.old} now={change.new} kind={change.kind} />)}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function exampleFor(base: string, paths: readonly string[]): string {
  const other = paths.find((p) => p.includes('.')) ?? paths[0] ?? 'name';
  return base === 'number' ? 'an expression, such as ROUND(price * 1.05, 2)' : `an expression, such as UPPER(${other})`;
}
