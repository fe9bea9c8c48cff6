import * as Dialog from "@radix-ui/react-dialog";
import { useQuery } from "@tanstack/react-query";
import { runDifferences } from "../../api/queries";
import { number, quantity } from "../../format";

const text = (v: unknown): string =>
  v === null || v === undefined
    ? "–"
    : typeof v === "number"
      ? number(v, 5)
      : typeof v === "string"
        ? v
        : JSON.stringify(v);

/** What differs between two runs: values, steps of the model, plan, results. */
export function Compare({
  projectId,
  pair,
  onClose,
}: {
  projectId: number;
  pair: [number, number];
  onClose: () => void;
}) {
  const { data, error } = useQuery(runDifferences(projectId, ...pair));
  const head = "py-1 text-left text-[11.500px] font-medium text-ink2";
  const section = (title: string, rows: [string, string, string][]) =>
    rows.length > 0 && (
      <section className="mt-4">
        <h3 className="font-semibold">{title}</h3>
        <table className="w-full table-fixed">
          <thead>
            <tr>
              <th className={`${head} w-2/5`} />
              <th className={head}>run {pair[0]}</th>
              <th className={head}>run {pair[1]}</th>
            </tr>
          </thead>
          <tbody className="num text-[12px]">
            {rows.map(([name, a, b]) => (
              <tr key={name} className="border-t border-faint align-baseline">
                <td className="break-words py-1 pr-2 font-sans">{name}</td>
                <td className="break-words pr-2">{a}</td>
                <td className="break-words">{b}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    );
  const step = (s: { chapter: string; step: string; field: string }): string =>
    `${s.chapter}: ${s.step === s.chapter ? s.field.replace(/_/g, " ") : `${s.step}${s.field ? `, ${s.field.replace(/_/g, " ")}` : ""}`}`;
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-1/2 z-30 max-h-[84vh] w-[720px] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-lg border border-rule bg-card p-5 shadow-xl"
        >
          <Dialog.Title className="text-[15px] font-semibold">
            Run {pair[0]} against run {pair[1]}
          </Dialog.Title>
          {error && (
            <p role="alert" className="mt-2 text-rust">
              {error.message}.
            </p>
          )}
          {!data && !error && <p className="mt-2 text-ink2">Comparing…</p>}
          {data && (
            <>
              {data.values.length + data.steps.length === 0 && (
                <p className="mt-2 text-ink2">Model, plan and values are the same.</p>
              )}
              {section(
                "Values",
                data.values.map((v) => [
                  v.name,
                  quantity(v.first?.value, v.first?.unit ?? "", 5),
                  quantity(v.second?.value, v.second?.unit ?? "", 5),
                ]),
              )}
              {section(
                "Model and plan",
                data.steps.map((s) => [step(s), text(s.first), text(s.second)]),
              )}
              {section(
                "Results",
                data.results.map((r) => [r.name, text(r.first), text(r.second)]),
              )}
            </>
          )}
          <Dialog.Close
            className="absolute right-3 top-2.5 rounded px-1.5 text-ink2 hover:bg-heron-soft"
            aria-label="Close"
          >
            ×
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
