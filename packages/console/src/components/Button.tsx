import type { ButtonHTMLAttributes, Ref } from 'react';

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  /** The one act a screen leads to. */
  main?: boolean;
  /** Takes something back or ends it. */
  grave?: boolean;
  busy?: boolean;
  ref?: Ref<HTMLButtonElement>;
}

export function Button({ main, grave, busy, className = '', children, disabled, type = 'button', ...rest }: Props) {
  const look = main
    ? 'border-accent bg-accent text-on-accent hover:bg-accent-strong hover:border-accent-strong font-medium'
    : grave
      ? 'border-line-strong bg-sheet text-trouble hover:bg-trouble-soft'
      : 'border-line-strong bg-sheet text-ink hover:bg-sunken';
  return (
    <button
      type={type}
      disabled={disabled || busy}
      aria-busy={busy || undefined}
      className={`inline-flex h-8 items-center justify-center gap-1.5 rounded border px-3 whitespace-nowrap disabled:border-line disabled:bg-sunken disabled:text-quiet ${look} ${className}`}
      {...rest}
    >
      {children}
      {busy && ' …'}
    </button>
  );
}

/** A button that reads as part of a sentence. */
export function LinkButton({ className = '', ...rest }: ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button
      type="button"
      className={`rounded-sm text-accent-strong underline decoration-1 underline-offset-2 hover:text-ink ${className}`}
      {...rest}
    />
  );
}
