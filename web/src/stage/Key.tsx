/** What a colour stands for, in a list of them. */
export function Key({ tone, children }: { tone: string; children: React.ReactNode }) {
  return (
    <li className="num flex items-center gap-1 whitespace-nowrap">
      <span className="size-2.5 rounded-sm" style={{ background: tone }} />
      {children}
    </li>
  );
}
