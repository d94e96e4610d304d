/** The sign of the product. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 32" className="size-5" aria-hidden="true">
      <rect width="32" height="32" rx="6" className="fill-accent" />
      <path d="M7 10h18M7 16h12M7 22h6" className="stroke-on-accent" strokeWidth="3" strokeLinecap="round" />
      <path
        d="M19 22l3 3 5-6"
        className="stroke-on-accent"
        strokeWidth="3"
        fill="none"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
    </svg>
  );
}
