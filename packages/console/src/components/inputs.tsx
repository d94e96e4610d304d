import { shortestPassword } from '@tantamos/core';
import { useId, type ComponentProps, type ReactNode } from 'react';

export const textInput =
  'h-8 w-full min-w-0 rounded border border-line-strong bg-sheet px-2 text-ink aria-invalid:border-trouble disabled:bg-sunken disabled:text-quiet';

/** A label and what it labels, one above the other. */
export function Labelled({
  label,
  hint,
  children,
}: {
  label: string;
  hint?: string;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="space-y-1">
      <label htmlFor={id} className="block text-quiet">
        {label}
      </label>
      {children(id)}
      {hint && <p className="text-xs text-quiet">{hint}</p>}
    </div>
  );
}

type InputProps = Omit<ComponentProps<'input'>, 'id' | 'value' | 'onChange' | 'className'>;

/** A box for one line of text beneath its label. */
export function Line({
  label,
  hint,
  value,
  onChange,
  ...rest
}: InputProps & { label: string; hint?: string; value: string; onChange: (text: string) => void }) {
  return (
    <Labelled label={label} hint={hint}>
      {(id) => (
        <input id={id} className={textInput} value={value} onChange={(e) => onChange(e.target.value)} {...rest} />
      )}
    </Labelled>
  );
}

/** A box for a password that is to be. */
export function NewPassword({
  hint,
  ...rest
}: {
  label: string;
  hint: string;
  value: string;
  onChange: (text: string) => void;
}) {
  return (
    <Line
      type="password"
      autoComplete="new-password"
      required
      minLength={shortestPassword}
      hint={`At least ${shortestPassword} characters, without the login${hint}`}
      {...rest}
    />
  );
}

interface Sentence {
  before: string;
  after?: string;
  value: number | null;
  /** What holds while nothing is typed. */
  usual?: string;
  onChange: (n: number | null) => void;
  most?: number;
}

/** A number inside a sentence: “Ask me after the first [5]”. Blank means: no, or the usual. */
export function NumberInSentence({ before, after, value, usual = '—', onChange, most }: Sentence) {
  const id = useId();
  return (
    <p className="leading-8">
      <label htmlFor={id}>{before}</label> {/* The box and what follows it stay on one line. */}
      <span className="whitespace-nowrap">
        <input
          id={id}
          inputMode="numeric"
          className={`${textInput} h-7! w-16! text-right`}
          value={value ?? ''}
          placeholder={usual}
          onChange={(e) => {
            const digits = e.target.value.replace(/\D/g, '').slice(0, 9);
            onChange(digits === '' ? null : Math.min(Number(digits), most ?? 999_999_999));
          }}
        />
        {after && ` ${after}`}
      </span>
    </p>
  );
}
