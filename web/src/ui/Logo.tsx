/** The heron, in the colour of actions. */
export function Logo({ className }: { className: string }) {
  return (
    <svg
      viewBox="0 0 32 32"
      fill="none"
      stroke="var(--heron)"
      strokeWidth="2.2"
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden
      className={className}
    >
      <path d="M4 8l9-2c4-.5 5 2.5 3.5 5l-3 5c-1.5 2.5 0 4.5 3 4.5h7c2.5 0 4-1.5 4.5-3.5" />
      <path d="M17 21v8M21 21v8" />
      <circle cx="13.5" cy="8.2" r=".6" fill="var(--heron)" />
    </svg>
  );
}
