import type { TypeView } from '@tantamos/contract';
import type { Problem } from '@tantamos/core';
import { useId, useState } from 'react';
import { Button } from '../components/Button';
import ExpressionBox from '../components/ExpressionBox';
import { ProblemList } from '../components/Problems';
import type { FieldChoice } from './fields';

interface Props {
  type: TypeView;
  fields: readonly FieldChoice[];
  filter: string;
  onApply: (filter: string) => void;
  /** Applies it and goes on to what is to change. */
  onGoOn: (filter: string) => void;
  problems: readonly Problem[];
  /** The cursor is put into it: it was just asked for. */
  focused: boolean;
}

/** The filter as text. Enter applies it, Ctrl or ⌘ with Enter goes on to the job with it. */
export default function FilterEditor({ type, fields, filter, onApply, onGoOn, problems, focused }: Props) {
  // What was typed since the filter was applied; another filter from elsewhere takes its place.
  const [typed, setTyped] = useState({ of: filter, text: filter });
  if (typed.of !== filter) setTyped({ of: filter, text: filter });
  const { text } = typed;
  const id = useId();
  const take = ({ span: at }: Problem, suggestion: string): void => {
    if (at) onApply(text.slice(0, at.start) + suggestion + text.slice(at.end));
  };
  const told = text === filter ? problems : [];
  return (
    <div className="space-y-1.5">
      <div className="flex items-start gap-2">
        <ExpressionBox
          type={type}
          fields={fields}
          text={text}
          onText={(now) => setTyped({ of: filter, text: now })}
          onEnter={onApply}
          onGoOn={onGoOn}
          problems={told}
          problemsId={`${id}-problem`}
          label="Filter"
          example={exampleFor(type)}
          focused={focused}
        />
        <Button className="h-7.5!" onClick={() => onApply(text)} disabled={text === filter}>
          Apply
        </Button>
      </div>
      {told.length > 0 && (
        <div id={`${id}-problem`}>
          <ProblemList problems={told} onTake={take} />
        </div>
      )}
    </div>
  );
}

function exampleFor(type: TypeView): string {
  const choice = type.fields.find((f) => f.choices && f.choices.length > 0);
  const owner = type.fields.find((f) => type.ownerFields.includes(f.name));
  const parts = [
    choice && `${choice.name} = '${choice.choices![0]!.value}'`,
    owner && `${owner.name} = 'First Last'`,
  ].filter(Boolean);
  return parts.length > 0 ? `for example: ${parts.join(' AND ')}` : "a condition, such as name LIKE 'A%'";
}
