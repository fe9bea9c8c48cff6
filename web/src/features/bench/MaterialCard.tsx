import * as Popover from "@radix-ui/react-popover";
import { useQuery } from "@tanstack/react-query";
import { materialCurve, materials } from "../../api/queries";
import type { Examination, Model } from "../../api/types";
import { number, quantity } from "../../format";
import { LinePlot } from "../../plots/LinePlot";
import { series } from "../../plots/scale";
import { useBench } from "./model";
import { CLEAR_OF_SOLVE } from "./popovers";

/** The materials that parts use; each opens its curves. */
export function MaterialsInUse({ examination }: { examination?: Examination }) {
  const document = useBench((s) => s.document)!;
  const used = [
    ...new Set([
      ...document.materials.map((m) => m.name ?? ""),
      ...document.parts.map((p) => p.material).filter((m): m is string => typeof m === "string"),
    ]),
  ];
  if (used.length === 0) return <p className="pl-11 text-ink2">None yet.</p>;
  return (
    <p className="flex flex-wrap gap-x-3 pl-11">
      {used.map((name) => (
        <MaterialCard key={name} name={name} document={document} band={examination?.band ?? null} />
      ))}
    </p>
  );
}

function MaterialCard({
  name,
  document,
  band,
}: {
  name: string;
  document: Model;
  band: [number, number] | null;
}) {
  return (
    <Popover.Root>
      <Popover.Trigger className="num text-[12.500px] text-heron hover:underline">
        {name}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="right"
          align="start"
          sideOffset={12}
          collisionPadding={CLEAR_OF_SOLVE}
          className="z-20 w-[26rem] rounded-lg border border-rule bg-card p-4 shadow-xl"
        >
          <Curves name={name} document={document} band={band} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const DECADES: [number, number] = [1e8, 1e11];

function Curves({
  name,
  document,
  band,
}: {
  name: string;
  document: Model;
  band: [number, number] | null;
}) {
  const wide: [number, number] = band && band[1] > band[0] ? [band[0] / 10, band[1] * 10] : DECADES;
  const { data, error } = useQuery(materialCurve(document, name, wide));
  const { data: library } = useQuery(materials);
  const group =
    library?.find((m) => m.name === name && !document.materials.some((o) => o.name === name))
      ?.group ?? "this project";
  if (error) return <p className="text-rust">{error.message}.</p>;
  if (!data) return <p className="text-ink2">Reading…</p>;
  const at = data.frequency_hz.findIndex((f) => f >= (band ? (band[0] + band[1]) / 2 : 1e9));
  const conductor = data.epsilon_imag[at]! > 1e4 * Math.abs(data.epsilon_real[at]!);
  const perfect = data.conductivity[at]! > 1e20;
  const curve = (values: (number | null)[], i: number, label: string) => ({
    x: data.frequency_hz,
    y: values,
    ...series(i),
    label,
  });
  const rows: [string, string][] = conductor
    ? [
        ["conductivity", quantity(data.conductivity[at], "S/m", 4)],
        ["skin depth", quantity(data.skin_depth_m[at], "m", 3)],
      ]
    : [
        ["ε′", number(data.epsilon_real[at]!, 4)],
        ["tan δ", number(data.epsilon_imag[at]! / data.epsilon_real[at]!, 3)],
        ["μ′", number(data.mu_real[at]!, 4)],
        ["equivalent σ", quantity(data.conductivity[at], "S/m", 3)],
        ["1/e depth", quantity(data.skin_depth_m[at], "m", 3)],
      ];
  return (
    <>
      <h2 className="font-semibold">{name}</h2>
      <p className="mb-2 text-[12px] text-ink2">
        {group}
        {data.source && ` · ${data.source}`}
      </p>
      {perfect ? (
        <p className="text-ink2">Carries any current without loss; fields end at its surface.</p>
      ) : (
        <>
          <dl className="num mb-2 grid grid-cols-2 gap-x-6 text-[12px]">
            <dt className="col-span-2 text-ink2">at {quantity(data.frequency_hz[at], "Hz", 3)}</dt>
            {rows.map(([k, v]) => (
              <div key={k} className="flex justify-between">
                <dt className="text-ink2">{k}</dt>
                <dd>{v}</dd>
              </div>
            ))}
          </dl>
          <div className="h-44">
            <LinePlot
              curves={
                conductor
                  ? [
                      curve(
                        data.skin_depth_m.map((d) => (d === null ? null : d * 1e6)),
                        0,
                        "skin depth",
                      ),
                    ]
                  : [
                      curve(data.epsilon_real, 0, "ε′"),
                      curve(data.epsilon_imag, 1, "ε″"),
                      ...(data.fit
                        ? [
                            curve(data.fit.epsilon_real, 2, "fit ε′"),
                            curve(data.fit.epsilon_imag, 3, "fit ε″"),
                          ]
                        : []),
                    ]
              }
              x={{ unit: "Hz", factor: 1, log: true }}
              y={{ unit: conductor ? "µm" : "" }}
              labels
            />
          </div>
          {data.fit && (
            <p className="num mt-1 text-[12px] text-ink2">
              fitted by {data.fit.poles} {data.fit.poles === 1 ? "pole" : "poles"}, within{" "}
              {number(100 * data.fit.error, 2)} % at the rows
            </p>
          )}
        </>
      )}
    </>
  );
}
