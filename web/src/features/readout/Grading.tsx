import * as Dialog from "@radix-ui/react-dialog";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { grade } from "../../api/queries";
import { fixed } from "../../format";
import { LinePlot } from "../../plots/LinePlot";

const MEASURES = [
  ["adm", "amplitude"],
  ["fdm", "features"],
  ["gdm", "overall"],
] as const;
interface Props {
  projectId: number;
  first: string;
  second: string;
  formula: string;
  names: [string, string];
  unit: string;
  axis: { unit: string; factor: number };
  onClose: () => void;
}

/** How alike two curves are: feature selective validation (IEEE Std 1597.1), with its histograms and the difference curve. */
export function Grading({ projectId, first, second, formula, names, unit, axis, onClose }: Props) {
  const { data, error } = useQuery(grade(projectId, first, second, formula));
  const curves = useMemo(
    () =>
      data
        ? [
            {
              x: data.x_hz,
              y: data.difference,
              color: "var(--rust)",
              dash: "",
              label: `${names[0]} − ${names[1]}`,
            },
          ]
        : [],
    [data, names],
  );
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
          className="fixed left-1/2 top-1/2 z-30 w-[680px] -translate-x-1/2 -translate-y-1/2 rounded-lg border border-rule bg-card p-5 shadow-xl"
        >
          <Dialog.Title className="text-[15px] font-semibold">
            {names[0]} against {names[1]}
          </Dialog.Title>
          <p className="mb-3 text-[12px] text-ink2">
            Feature selective validation, IEEE Std 1597.1. 0 is identity; the bars show the share of
            the band in each grade.
          </p>
          {error && (
            <p role="alert" className="text-rust">
              {error.message}.
            </p>
          )}
          {!data && !error && <p className="text-ink2">Comparing…</p>}
          {data && (
            <>
              <table className="w-full">
                <thead>
                  <tr className="text-left text-[11.500px] text-ink2">
                    <th className="font-medium">Measure</th>
                    <th className="font-medium">Mean</th>
                    <th className="font-medium">Grade</th>
                    {Object.keys(data.histogram.gdm).map((n) => (
                      <th key={n} className="w-[68px] font-medium">
                        {n}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody className="num text-[12px]">
                  {MEASURES.map(([m, word]) => (
                    <tr key={m} className="border-t border-faint" data-measure={m}>
                      <td className="py-1.5 font-sans">
                        {m.toUpperCase()} <span className="text-ink2">{word}</span>
                      </td>
                      <td>{fixed(data[m], 3)}</td>
                      <td className="pr-2 font-sans">{data.grades[m]}</td>
                      {Object.entries(data.histogram[m]).map(([n, share]) => (
                        <td key={n}>
                          <span className="flex items-center gap-1">
                            <span
                              className="h-3 rounded-sm bg-heron"
                              style={{ width: `${Math.max(share > 0 ? 1 : 0, 34 * share)}px` }}
                            />
                            <span className="text-[10.500px] text-ink2">
                              {Math.round(100 * share)}
                            </span>
                          </span>
                        </td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              </table>
              <h3 className="mb-1 mt-4 font-semibold">Difference</h3>
              <div className="h-48">
                <LinePlot curves={curves} x={axis} y={{ unit }} limits={[{ y: 0 }]} labels />
              </div>
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
