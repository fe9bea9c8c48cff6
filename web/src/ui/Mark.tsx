/** State by shape as well as colour: round is good, a lozenge wants a look, a square stops. */
export type State = "good" | "look" | "stop";

export function Mark({ state, label }: { state: State; label?: string }) {
  const tone = state === "good" ? "fill-moss" : "fill-rust";
  return (
    <svg
      viewBox="0 0 12 12"
      className={`inline-block size-2.5 shrink-0 ${tone}`}
      role="img"
      aria-label={label ?? state}
    >
      {state === "good" && <circle cx="6" cy="6" r="4.500" />}
      {state === "look" && <path d="M6 0.500L11.500 6L6 11.500L0.500 6Z" />}
      {state === "stop" && <rect x="1.500" y="1.500" width="9" height="9" />}
    </svg>
  );
}
