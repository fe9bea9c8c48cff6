/** The variants of a study as a table. */
import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { call } from "../../../api/client";
import { client, project } from "../../../api/queries";
import type { StudyVariant } from "../../../api/types";
import { number, quantity } from "../../../format";
import { Card, Nothing } from "../../readout/Card";
import { type CardProps, useDesk } from "../../readout/context";
import { keyOf, useStudyCursor } from "../cursor";
import { bestOf, written } from "../family";
import { useStudy } from "../useStudy";

const MOST_ROWS = 400;

/** Values, outcomes and state of every variant; the best is marked, and any can be used. */
export function StudyTable(props: CardProps) {
  const own = useStudy(props);
  const { study } = own;
  const { writable } = useDesk();
  const key = keyOf(own.projectId, own.number);
  const looked = useStudyCursor((c) => c.place[key]);
  const look = useStudyCursor((c) => c.look);
  const navigate = useNavigate();
  const [sorted, sort] = useState<{ by: string; down: boolean } | null>(null);
  const use = useMutation({
    mutationFn: (place: number) =>
      call("POST", `/projects/${own.projectId}/studies/${own.number}/use`, { place }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: project(own.projectId).queryKey });
      await navigate({
        to: "/projects/$projectId/bench",
        params: { projectId: String(own.projectId) },
      });
    },
  });
  const best = study ? bestOf(study) : null;
  const value = (v: StudyVariant, by: string): number => {
    const k = study!.variables.findIndex((u) => u.name === by);
    return (k >= 0 ? v.point[k] : v.outcomes[by]) ?? Infinity;
  };
  const rows = [...(study?.variants ?? [])];
  if (sorted)
    rows.sort((a, b) => (value(a, sorted.by) - value(b, sorted.by)) * (sorted.down ? -1 : 1));
  const failed = rows.filter((v) => v.status === "failed").length;
  const head = (name: string, words = name) => (
    <th key={name} className="whitespace-nowrap px-1 py-1 text-right font-medium">
      <button
        type="button"
        title={words}
        className="max-w-24 truncate"
        onClick={() => sort({ by: name, down: sorted?.by === name && !sorted.down })}
      >
        {words} {sorted?.by === name ? (sorted.down ? "▾" : "▴") : ""}
      </button>
    </th>
  );
  return (
    <Card
      title="Variants"
      note={
        <>
          {own.choice} {rows.length > 0 && `${rows.length}`}
          {failed > 0 && `, ${failed} failed`}
        </>
      }
      table={() => ({
        columns: [
          "variant",
          ...(study?.variables.map((v) => v.name) ?? []),
          ...(study?.outcomes ?? []),
        ],
        rows: rows.map((v) => [
          v.place,
          ...v.point,
          ...(study?.outcomes ?? []).map((t) => v.outcomes[t] ?? null),
        ]),
      })}
    >
      {!study || rows.length === 0 ? (
        <Nothing>{own.none}</Nothing>
      ) : (
        <div className="h-full overflow-auto">
          {use.error && (
            <p role="alert" className="text-rust">
              {use.error.message}
            </p>
          )}
          <table className="num w-full text-[11.500px]">
            <thead className="sticky top-0 bg-card text-ink2">
              <tr>
                <th className="px-1 py-1 text-left font-medium">#</th>
                {study.variables.map((v) => head(v.name))}
                {study.outcomes
                  .filter((t) => own.solved.some((v) => v.outcomes[t] != null))
                  .map((t) => head(t))}
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.slice(0, MOST_ROWS).map((v) => (
                <tr
                  key={v.place}
                  data-variant={v.place}
                  className={`group cursor-pointer border-t border-faint ${v.place === looked ? "bg-heron-soft" : v.place === best ? "bg-moss-soft" : ""}`}
                  onClick={() => look(key, v.place)}
                >
                  <td className="whitespace-nowrap px-1 py-0.5">
                    {v.beside ? "" : v.place + 1}
                    {v.place === best && <span className="ml-1.5 font-medium">best</span>}
                    {v.beside && <span className="ml-1.5 text-ink2">by the dials</span>}
                  </td>
                  {study.variables.map((u, k) => (
                    <td key={u.name} className="whitespace-nowrap px-1 text-right">
                      {written(u, v.point[k]!, 5)}
                    </td>
                  ))}
                  {v.status === "failed" ? (
                    <td
                      colSpan={study.outcomes.length}
                      title={v.reason}
                      className="max-w-60 truncate px-1 text-rust"
                    >
                      {v.reason}
                    </td>
                  ) : v.status !== "finished" ? (
                    <td colSpan={study.outcomes.length} className="px-1 text-right text-ink2">
                      {v.status}
                    </td>
                  ) : (
                    study.outcomes
                      .filter((t) => own.solved.some((s) => s.outcomes[t] != null))
                      .map((t) => (
                        <td key={t} className="whitespace-nowrap px-1 text-right">
                          {v.outcomes[t] == null
                            ? "–"
                            : quantity(v.outcomes[t], study.units[t] ?? "", 4)}
                        </td>
                      ))
                  )}
                  <td className="whitespace-nowrap px-1 text-right">
                    {v.status === "finished" && (
                      <span className="opacity-0 focus-within:opacity-100 group-hover:opacity-100">
                        {writable && (
                          <button
                            type="button"
                            className="text-heron hover:underline"
                            aria-label={`Use variant ${v.place + 1}`}
                            title="Write its values to the sheet"
                            onClick={(e) => {
                              e.stopPropagation();
                              use.mutate(v.place);
                            }}
                          >
                            use
                          </button>
                        )}
                      </span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {rows.length > MOST_ROWS && (
            <p className="pt-1 text-ink2">
              The first {number(MOST_ROWS)} of {number(rows.length)}; all are in the files.
            </p>
          )}
        </div>
      )}
    </Card>
  );
}
