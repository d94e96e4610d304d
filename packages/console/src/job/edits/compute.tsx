import { lazy, Suspense } from 'react';
import { LinkButton } from '../../components/Button';
import type { EditForm } from './form';
import { Results } from './Results';

const ExpressionBox = lazy(() => import('../../components/ExpressionBox'));
const Here = lazy(() => import('../Here'));
const Steps = lazy(() => import('../Steps'));

/** A formula, and under it what comes out for the records in sight. */
export const compute: EditForm<'compute'> = {
  action: 'Compute',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete: ({ field, formula, file }) =>
    field !== undefined && formula !== undefined && formula.trim() !== ''
      ? { kind: 'compute', field, formula, ...(file ? { file } : {}) }
      : null,
  Form({ type, field, fields, edit, problems, results, before, onChange }) {
    // Its columns are said where the file is: here it stands as it was said there.
    if (edit.file)
      return (
        <div className="min-w-0 flex-1 space-y-1.5">
          <p>
            <code className="break-words text-xs">{edit.formula}</code>{' '}
            <span className="text-quiet">each by its own row of the file</span>
          </p>
          <Results results={results} />
        </div>
      );
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
        {results.length > 0 || before.length === 0 || edit.where !== undefined ? (
          <Results results={results} />
        ) : (
          <Suspense>
            <Here type={type} field={field} formula={edit.formula ?? ''} before={before} />
          </Suspense>
        )}
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

function exampleFor(base: string, paths: readonly string[]): string {
  const other = paths.find((p) => p.includes('.')) ?? paths[0] ?? 'name';
  return base === 'number' ? 'an expression, such as ROUND(price * 1.05, 2)' : `an expression, such as UPPER(${other})`;
}
