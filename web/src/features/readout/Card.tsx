import * as Menu from "@radix-ui/react-dropdown-menu";
import { type ReactNode, useRef } from "react";
import { exportCsv, exportPng, exportSvg } from "../../plots/export";

export interface Table { columns: string[]; rows: (number | null)[][] }
interface Props { title: string; note?: ReactNode; badges?: { text: string; good?: boolean }[]; table?: () => Table; tall?: boolean; wide?: boolean; children: ReactNode }

/** One view of the ticked runs: title, verdicts, plot, and ways to take it away. */
export function Card({ title, note, badges = [], table, wide, children }: Props) {
  const ref = useRef<HTMLElement>(null);
  const file = title.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "");
  const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft";
  return (
    <section ref={ref} aria-label={title} className={`flex h-[336px] flex-col overflow-hidden rounded-lg border border-rule bg-card px-3 pb-2 pt-2.5 ${wide ? "col-span-2" : ""}`}>
      <header className="flex items-baseline gap-2">
        <h2 className="whitespace-nowrap font-semibold">{title}</h2>
        <span className="truncate text-[11.500px] text-ink2">{note}</span>
        <Menu.Root>
          <Menu.Trigger aria-label={`Export ${title}`} className="ml-auto rounded px-1 text-ink2 hover:bg-heron-soft">⋯</Menu.Trigger>
          <Menu.Portal>
            <Menu.Content align="end" className="z-20 min-w-36 rounded-md border border-rule bg-card p-1 shadow-lg">
              <Menu.Item className={item} onSelect={() => ref.current && void exportPng(ref.current, file)}>Save as PNG</Menu.Item>
              <Menu.Item className={item} onSelect={() => ref.current && exportSvg(ref.current, file)}>Save as SVG</Menu.Item>
              {table && <Menu.Item className={item} onSelect={() => { const t = table(); exportCsv(file, t.columns, t.rows); }}>Save as CSV</Menu.Item>}
            </Menu.Content>
          </Menu.Portal>
        </Menu.Root>
      </header>
      {badges.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-1.5">
          {badges.map((b) => <li key={b.text} className={`num rounded px-1.5 text-[11.500px] ${b.good ? "bg-moss-soft" : "bg-faint"}`}>{b.text}</li>)}
        </ul>
      )}
      <div className="mt-1.5 min-h-0 flex-1">{children}</div>
    </section>
  );
}
