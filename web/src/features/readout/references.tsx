/** Reference curves: which are shown, and the dialog that reads a new one. */
import * as Dialog from "@radix-ui/react-dialog";
import { useMutation, useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { create } from "zustand";
import { call } from "../../api/client";
import { client, references } from "../../api/queries";
import type { ReferenceLine, ReferencePreview } from "../../api/types";
import { number } from "../../format";
import { Button } from "../../ui/Button";
import type { ShownReference } from "./context";

/** Reference curves that are shown, by project; new ones are at once. */
export const useShownReferences = create<{
  hidden: Record<number, number[]>;
  toggle: (project: number, n: number) => void;
}>((set) => ({
  hidden: {},
  toggle: (project, n) =>
    set((s) => {
      const own = s.hidden[project] ?? [];
      return {
        hidden: {
          ...s.hidden,
          [project]: own.includes(n) ? own.filter((k) => k !== n) : [...own, n],
        },
      };
    }),
}));

const STYLES = [
  { color: "var(--ink3)", dash: "" },
  { color: "var(--ink3)", dash: "5 3" },
  { color: "var(--ink3)", dash: "2 2" },
  { color: "var(--steel)", dash: "9 3 2 3" },
];
export const referenceStyle = (i: number): { color: string; dash: string } =>
  STYLES[i % STYLES.length]!;

/** Patterns over angle among the shown reference curves, of one kind of gain. */
export function useReferenceCuts(
  projectId: number,
  shown: ShownReference[],
  kind: string,
): { angle: number[]; value: number[]; color: string; dash: string; label: string }[] {
  const own = shown.filter(
    (r) =>
      r.line.axis === "angle" &&
      r.line.quantities.some(
        (q) => q === kind || ["gain", "directivity", "realized_gain"].includes(q),
      ),
  );
  const { all } = useQueries({
    queries: own.map((r) => ({
      queryKey: ["reference-cut", projectId, r.line.number],
      staleTime: Infinity,
      queryFn: () =>
        call<{ angle_deg: number[]; level_db: Record<string, number[]> }>(
          "GET",
          `/projects/${projectId}/references/${r.line.number}/cut`,
        ),
    })),
    combine: (q) => ({ all: q.map((r) => r.data) }),
  });
  const key = own.map((r) => r.line.number + r.line.name).join();
  return useMemo(
    () =>
      own.flatMap((r, i) => {
        const d = all[i];
        const level = d && (d.level_db[kind] ?? Object.values(d.level_db)[0]);
        return d && level
          ? [{ angle: d.angle_deg, value: level, color: r.color, dash: r.dash, label: r.line.name }]
          : [];
      }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [all, key, kind],
  );
}

const FORM_NAMES: Record<string, string> = {
  db20: "dB (20 log)",
  db10: "dB (10 log), dBi",
  magnitude: "magnitude",
  re: "real part",
  im: "imaginary part",
  deg: "phase, °",
  percent: "%",
  value: "value",
};

/** Reads a file or pasted columns, shows what they were taken for, and lets it be corrected before it is kept. */
export function ReferenceDialog({
  projectId,
  onClose,
}: {
  projectId: number;
  onClose: () => void;
}) {
  const [text, setText] = useState("");
  const [filename, setFilename] = useState("");
  const [name, setName] = useState("");
  const [unit, setUnit] = useState<string | null>(null);
  const [columns, setColumns] = useState<
    { heading: string; quantity: string; form: string }[] | null
  >(null);
  const file = useRef<HTMLInputElement>(null);
  const body = { text, filename, x_unit: unit, columns };
  const preview = useQuery({
    queryKey: ["reference-preview", body],
    enabled: text.trim() !== "",
    staleTime: Infinity,
    gcTime: 10_000,
    retry: false,
    placeholderData: (before: ReferencePreview | undefined) => before,
    queryFn: () => call<ReferencePreview>("POST", "/projects/reference-preview", body),
  });
  const keep = useMutation({
    mutationFn: () =>
      call<ReferenceLine>("POST", `/projects/${projectId}/references`, {
        ...body,
        name: name.trim() || filename.replace(/\.\w+$/, "") || "reference",
      }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: references(projectId).queryKey });
      onClose();
    },
  });
  const take = async (chosen: File | undefined): Promise<void> => {
    if (!chosen) return;
    setColumns(null);
    setUnit(null);
    setFilename(chosen.name);
    if (!name) setName(chosen.name.replace(/\.\w+$/, ""));
    setText(await chosen.text());
  };
  const seen = text.trim() ? preview.data : undefined;
  const shown = columns ?? seen?.columns ?? [];
  const change = (i: number, part: Partial<{ quantity: string; form: string }>): void =>
    setColumns(
      shown.map((c, k) => ({
        heading: c.heading,
        quantity: c.quantity,
        form: c.form,
        ...(k === i ? part : {}),
      })),
    );
  const select = "rounded border border-rule bg-card px-1 py-0.5";
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
          className="fixed left-1/2 top-1/2 z-30 flex max-h-[88vh] w-[720px] -translate-x-1/2 -translate-y-1/2 flex-col overflow-y-auto rounded-lg border border-rule bg-card p-5 shadow-xl"
        >
          <Dialog.Title className="text-[15px] font-semibold">Reference curve</Dialog.Title>
          <p className="mb-3 text-[12px] text-ink2">
            Columns with a frequency or an angle first, or Touchstone. Paste them, or choose a file.
          </p>
          <div className="mb-2 flex items-center gap-3">
            <Button onClick={() => file.current?.click()}>Choose a file…</Button>
            <input
              ref={file}
              type="file"
              hidden
              aria-label="Curve file"
              accept=".csv,.txt,.dat,.tsv,.s1p,.s2p,.s3p,.s4p"
              onChange={(e) => void take(e.target.files?.[0])}
            />
            <span className="num text-[12px] text-ink2">{filename}</span>
            <label className="ml-auto">
              Name{" "}
              <input
                aria-label="Name of the curve"
                className="ml-1 rounded border border-rule bg-card px-2 py-0.5"
                maxLength={80}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
            </label>
          </div>
          <textarea
            aria-label="Columns"
            className="num h-28 shrink-0 resize-none rounded border border-rule bg-paper p-2 text-[12px]"
            spellCheck={false}
            placeholder={"freq_GHz, S11_dB\n2.40, -8.1\n2.45, -17.9"}
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              setColumns(null);
              setUnit(null);
            }}
          />
          {preview.error && text.trim() && (
            <p role="alert" className="mt-2 text-rust">
              {preview.error.message}.
            </p>
          )}
          {seen && !preview.error && (
            <>
              <p className="mb-1 mt-3 text-ink2">
                {[`${seen.count} lines`, ...seen.notes]
                  .map((n) => `${n[0]!.toUpperCase()}${n.slice(1)}.`)
                  .join(" ")}
              </p>
              <div className="overflow-x-auto">
                <table className="num text-[12px]">
                  <thead>
                    <tr className="text-left align-bottom">
                      <th className="pr-4 font-normal">
                        <select
                          aria-label="Unit of the first column"
                          className={`${select} ${seen.x_guessed && unit === null ? "border-amber" : ""}`}
                          value={unit ?? seen.x_unit}
                          onChange={(e) => setUnit(e.target.value)}
                        >
                          {seen.x_units.map((u) => (
                            <option key={u} value={u}>
                              {u === "deg" ? "angle, °" : u}
                            </option>
                          ))}
                        </select>
                      </th>
                      {shown.map((c, i) => (
                        <th key={i} className="pr-4 font-normal">
                          <span
                            className="block max-w-40 truncate text-[11px] text-ink2"
                            title={c.heading}
                          >
                            {c.heading || "no heading"}
                          </span>
                          <select
                            aria-label={`Column ${i + 1} is`}
                            className={select}
                            value={c.quantity}
                            onChange={(e) => change(i, { quantity: e.target.value })}
                          >
                            <option value="">left out</option>
                            {[...new Set([...seen.quantities, c.quantity])]
                              .filter(Boolean)
                              .map((q) => (
                                <option key={q} value={q}>
                                  {q.replace(/_/g, " ").replace(/^(s\d+)/, (s) => s.toUpperCase())}
                                </option>
                              ))}
                          </select>
                          {c.quantity && (
                            <select
                              aria-label={`Column ${i + 1} as`}
                              className={`${select} ml-1`}
                              value={c.form}
                              onChange={(e) => change(i, { form: e.target.value })}
                            >
                              {seen.forms.map((f) => (
                                <option key={f} value={f}>
                                  {FORM_NAMES[f] ?? f}
                                </option>
                              ))}
                            </select>
                          )}
                        </th>
                      ))}
                    </tr>
                  </thead>
                  <tbody>
                    {seen.rows.map((r, i) => (
                      <tr key={i} className="border-t border-faint">
                        {r.map((v, k) => (
                          <td key={k} className="pr-4">
                            {number(v, 6)}
                          </td>
                        ))}
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
              {seen.error && (
                <p role="alert" className="mt-2 text-rust">
                  {seen.error[0]!.toUpperCase() + seen.error.slice(1)}.
                </p>
              )}
            </>
          )}
          {keep.error && (
            <p role="alert" className="mt-2 text-rust">
              {keep.error.message}.
            </p>
          )}
          <div className="mt-4 flex justify-end gap-2">
            <Dialog.Close asChild>
              <Button>Cancel</Button>
            </Dialog.Close>
            <Button
              look="main"
              disabled={!seen || !!seen.error || !!preview.error || keep.isPending}
              onClick={() => keep.mutate()}
            >
              Keep the curve
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
