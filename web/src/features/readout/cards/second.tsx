/** What a run is judged by, and the check of a run by another engine. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { call } from "../../../api/client";
import { client, runs, secondEngine } from "../../../api/queries";
import { useTicks } from "../../../app/cursor";
import { Button } from "../../../ui/Button";
import { Mark, type State } from "../../../ui/Mark";
import { useDesk } from "../context";

export interface Item {
  name: string;
  value: string;
  mark: State;
  advice: string;
}

/** Figures with their marks; advice once, under the first that is not good. */
export function Items({ items }: { items: Item[] }) {
  return (
    <ul className="mt-1">
      {items.map((i, n) => (
        <li key={i.name} className="border-b border-faint py-1">
          <div className="flex items-center gap-3">
            <Mark state={i.mark} />
            <span>{i.name}</span>
            <span className="num ml-auto text-right">{i.value.replace("-", "−")}</span>
          </div>
          {i.mark !== "good" &&
            i.advice &&
            !items.slice(0, n).some((k) => k.mark !== "good" && k.advice === i.advice) && (
              <p className="pl-5 text-[12px] text-ink2">{i.advice}.</p>
            )}
        </li>
      ))}
    </ul>
  );
}

/** How far a run is from another engine's of the same model, or the offer to solve that. */
export function SecondEngine({ number }: { number: number }) {
  const { projectId, shown, writable } = useDesk();
  const { toggle, keep } = useTicks();
  const ticked = shown.map((s) => s.line.number);
  const { data } = useQuery(secondEngine(projectId, number));
  const solve = useMutation({
    mutationFn: () => call("POST", `/projects/${projectId}/runs/${number}/second`),
    onSuccess: async () => {
      keep(projectId, ticked);
      await client.invalidateQueries({ queryKey: runs(projectId).queryKey });
      await client.invalidateQueries({ queryKey: secondEngine(projectId, number).queryKey });
    },
  });
  if (!data || (data.run === null && !writable)) return null;
  const other = data.run;
  const solved = other !== null && !data.active && !data.fault;
  return (
    <section
      aria-label="Second engine"
      className="mt-1 rounded-md bg-paper px-2 py-1.5 text-[12px]"
      data-second={other === null ? "none" : data.active ? "active" : "ended"}
    >
      <div className="flex items-center gap-3">
        {other === null ? (
          <p className="text-ink2">Not checked by another engine yet.</p>
        ) : (
          <p>
            <span className="font-semibold">Second engine</span>{" "}
            <span className="text-ink2">
              {data.engine}, run {other}
              {data.active ? ": not solved yet" : data.fault ? "" : ": furthest apart in the band"}
            </span>
          </p>
        )}
        {other === null && (
          <Button
            className="ml-auto shrink-0"
            disabled={solve.isPending}
            title="Solves the same model, values and band by another engine; may take much longer"
            onClick={() => solve.mutate()}
          >
            {solve.isPending ? "Looking for one…" : "Check by another"}
          </Button>
        )}
        {solved && !ticked.includes(other) && (
          <Button className="ml-auto shrink-0" onClick={() => toggle(projectId, other, ticked)}>
            Show both
          </Button>
        )}
      </div>
      {solve.isError && (
        <p role="alert" className="text-rust">
          {solve.error.message}.
        </p>
      )}
      {data.fault && <p className="text-rust">{data.fault}.</p>}
      {data.items.length > 0 && <Items items={data.items as Item[]} />}
    </section>
  );
}
