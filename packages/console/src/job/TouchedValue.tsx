import type { FieldView } from '@tantamos/contract';
import { LinkButton } from '../components/Button';
import { ValueInput } from './ValueInput';

interface Props {
  field: FieldView;
  /** Null: it is left blank. */
  value: string | null;
  onChange: (value: string | null) => void;
  isNew?: boolean;
}

/** What a field that was touched is given instead: a value or, where it may be, none. */
export function TouchedValue({ field, value, onChange, isNew }: Props) {
  if (value === null)
    return (
      <p>
        left blank <LinkButton onClick={() => onChange('')}>Another value</LinkButton>
      </p>
    );
  return (
    <>
      <ValueInput field={field} value={value} onChange={onChange} isNew={isNew} />
      {!field.required && (
        <LinkButton className="text-xs" onClick={() => onChange(null)}>
          Leave it blank
        </LinkButton>
      )}
    </>
  );
}
