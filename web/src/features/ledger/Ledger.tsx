import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate, useParams } from "@tanstack/react-router";
import { call } from "../../api/client";
import { active, client, project, runs } from "../../api/queries";
import type { RunLine } from "../../api/types";
import { Header } from "../../app/Header";
import { useTicks } from "../../app/cursor";
import { compact, number, quantity } from "../../format";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";

/** All runs: what differs, size, time, headline, trust. */
export function Ledger() {
  const { projectId } = useParams({ from: "/projects/$projectId/ledger" });
  const id = Number(projectId);
  const { data: p } = useQuery(project(id));
  const { data, isPending, error } = useQuery(runs(id));
  const navigate = useNavigate();
  const { ticks, toggle } = useTicks();
  const differing = differingValues(data ?? []);
  const shown = ticks[id] ?? data?.filter((r) => r.has_results).slice(0, 1).map((r) => r.number) ?? [];
  const remove = useMutation({
    mutationFn: (n: number) => call("DELETE", `/projects/${id}/runs/${n}`),
    onSettled: () => client.invalidateQueries({ queryKey: runs(id).queryKey }),
  });
  const head = "px-3 py-2 text-left text-[11.500px] font-medium text-ink2";
  return (
    <div className="flex h-full flex-col">
      <Header title={p?.name ?? "…"} projectId={projectId} note={p && `revision ${p.revision}`} />
      <main className="flex-1 overflow-auto p-6">
        <div className="mb-3 flex items-center gap-3">
          <h2 className="mr-auto text-[16px] font-semibold">Ledger</h2>
          <Button disabled={shown.length === 0} onClick={() => void navigate({ to: "/projects/$projectId/readout", params: { projectId } })}>Read the ticked runs</Button>
        </div>
        {isPending && <p className="text-ink2">Fetching the runs…</p>}
        {error && <p className="text-rust">{error.message}</p>}
        {data?.length === 0 && <p className="text-ink2">No runs yet. Press Solve on the Bench.</p>}
        {data && data.length > 0 && (
          <table className="w-full overflow-hidden rounded-lg border border-rule bg-card">
            <thead className="border-b border-rule"><tr>
              <th className={head}>Show</th><th className={head}>Run</th><th className={head}>State</th><th className={head}>Lowest |S11|</th>
              {differing.map((n) => <th key={n} className={head}>{n}</th>)}
              <th className={head}>Unknowns</th><th className={head}>Solves</th><th className={head}>Time</th><th className={head}>Trust</th><th className={head} />
            </tr></thead>
            <tbody className="num text-[12.500px]">
              {data.map((r) => (
                <tr key={r.number} className="border-b border-faint last:border-0 hover:bg-heron-soft">
                  <td className="px-3 py-2"><input type="checkbox" className="accent-heron" aria-label={`Show run ${r.number}`} disabled={!r.has_results} checked={shown.includes(r.number)} onChange={() => toggle(id, r.number, shown)} /></td>
                  <td className="px-3">{r.number} <span className="text-ink2">rev {r.revision}</span></td>
                  <td className="px-3"><Mark state={r.status === "failed" ? "stop" : r.status === "stopped" ? "look" : "good"} /> {r.status}{r.status === "failed" && <span className="block max-w-72 font-sans text-[12px] text-rust">{r.reason}</span>}</td>
                  <td className="px-3">{(r.headline as { text?: string }).text ?? "–"}</td>
                  {differing.map((n) => <td key={n} className="px-3">{quantity(r.values[n]?.value, r.values[n]?.unit ?? "", 4)}</td>)}
                  <td className="px-3">{r.unknowns == null ? "–" : compact(r.unknowns)}</td><td className="px-3">{r.solves ?? "–"}</td><td className="px-3">{r.wall_s == null ? "–" : `${number(r.wall_s, 2)} s`}</td><td className="px-3">{r.grade || "–"}</td>
                  <td className="px-3 text-right">{!active(r.status) && p?.role !== "reader" && <button className="font-sans text-ink2 hover:text-rust" onClick={() => remove.mutate(r.number)}>Delete</button>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </main>
    </div>
  );
}

/** Parameters that are not the same in all runs. */
function differingValues(lines: RunLine[]): string[] {
  const names = new Set(lines.flatMap((r) => Object.keys(r.values)));
  return [...names].filter((n) => new Set(lines.map((r) => r.values[n]?.value)).size > 1).slice(0, 5);
}
