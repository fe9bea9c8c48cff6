import { useQuery } from "@tanstack/react-query";
import { useParams } from "@tanstack/react-router";
import { useEffect } from "react";
import {
  client,
  completions,
  examination as examine,
  files as filesOf,
  filesStamp,
  project,
  runs,
} from "../../api/queries";
import type { Model } from "../../api/types";
import { Header } from "../../app/Header";
import { Tour, showTour } from "../../app/Tour";
import { useReader, useRegister } from "../../app/commands";
import { Stage } from "../../stage/Stage";
import { Button } from "../../ui/Button";
import { BuildSheet } from "./BuildSheet";
import { RunStrip } from "./RunStrip";
import { Checklist, Ways, empty } from "./Start";
import { useLanguage } from "./language";
import { useBench } from "./model";
import { goTo, places, wanted } from "./places";
import { addStep, addTyped, isTyped } from "./steps";

/** Where a model is built: the sheet, the stage, the run strip. */
export function Bench() {
  const { projectId } = useParams({ from: "/projects/$projectId/bench" });
  const id = Number(projectId);
  const { data, error } = useQuery(project(id));
  const bench = useBench();
  const { open } = bench;
  const language = useLanguage();
  useEffect(() => {
    if (data && useBench.getState().projectId !== data.id) open(data);
  }, [data, open]);
  useEffect(
    () => () => {
      useBench.setState({ projectId: 0, document: null });
    },
    [],
  );
  const loaded = bench.projectId === id && bench.document !== null && language !== undefined;
  const { data: uploads } = useQuery(filesOf(id));
  const { data: examination, isFetching: building } = useQuery({
    ...examine(bench.document!, id, filesStamp(uploads), planOf(bench)),
    enabled: loaded && uploads !== undefined,
  });
  const { data: all } = useQuery(runs(id));
  const writable = loaded && bench.role !== "reader";
  useRegister("bench", [
    {
      id: "undo",
      label: "Undo",
      group: "Edit",
      shortcut: "Ctrl+Z",
      enabled: writable && bench.canUndo,
      perform: () => void bench.history("undo"),
    },
    {
      id: "redo",
      label: "Redo",
      group: "Edit",
      shortcut: "Ctrl+Shift+Z",
      enabled: writable && bench.canRedo,
      perform: () => void bench.history("redo"),
    },
    ...(language?.kinds ?? []).flatMap((kind) =>
      kind.menu.map(({ group, label }, n) => ({
        id: `add-${kind.chapter}-${kind.name}-${n}`,
        label: `Add: ${label}`,
        group,
        enabled: writable,
        likely: n === 0 && wanted(bench.document!).includes(`${kind.chapter} ${kind.name}`),
        perform: () => addStep(kind, n),
      })),
    ),
    ...places(bench.document).map(({ key, label }) => ({
      id: `go-${key}`,
      label,
      group: "On the sheet",
      sought: true,
      perform: () => goTo(key),
    })),
    { id: "tour", label: "Show me around", group: "Help", perform: showTour },
  ]);
  useReader(
    !writable
      ? null
      : {
          group: "Type a step",
          offers: async (text) =>
            isTyped(text, language)
              ? [
                  { text: text.trim(), meaning: "as it is typed", whole: true },
                  ...(await client.fetchQuery(completions(text, bench.document!))).map((c) => ({
                    ...c,
                    whole: false,
                  })),
                ]
              : [],
          perform: (text) =>
            void addTyped(text).catch((e: Error) => useBench.setState({ fault: e.message })),
        },
  );
  if (error)
    return (
      <div className="h-full">
        <Header title="Odd Heron" />
        <p className="p-8 text-ink2">{error.message}</p>
      </div>
    );
  const latest = all?.find((r) => r.has_results);
  return (
    <div data-help="sheet" className="flex h-full flex-col">
      <Header
        title={bench.document?.name ?? data?.name ?? "…"}
        projectId={projectId}
        note={
          <span role="status">
            revision {bench.revision} · {bench.state}
          </span>
        }
      />
      {bench.conflict ? (
        <div
          role="alert"
          className="flex items-center gap-3 border-b border-rule bg-rust-soft px-4 py-2"
        >
          <span>{bench.fault}.</span>
          <Button onClick={bench.takeTheirs}>Take theirs</Button>
          <Button onClick={bench.saveMine}>Save mine on top</Button>
        </div>
      ) : (
        bench.fault && (
          <p role="alert" className="border-b border-rule bg-rust-soft px-4 py-1.5 text-rust">
            {bench.fault}
          </p>
        )
      )}
      <div className="flex min-h-0 flex-1">
        <div className="flex w-[432px] shrink-0 flex-col border-r border-rule bg-card">
          {loaded ? (
            <BuildSheet examination={examination} />
          ) : (
            <p className="p-6 text-ink2">Opening the model…</p>
          )}
        </div>
        <div className="relative min-w-0 flex-1">
          {loaded && (
            <Stage
              examination={examination}
              building={building}
              projectId={id}
              run={latest}
              stamp={filesStamp(uploads)}
            />
          )}
          {loaded && writable && empty(bench.document!) ? (
            <Ways />
          ) : (
            loaded && writable && <Checklist examination={examination} />
          )}
        </div>
      </div>
      <RunStrip projectId={id} examination={examination} />
      <Tour />
    </div>
  );
}

/** The plan that is chosen, as long as there is one of that name. */
const planOf = ({
  document,
  plan,
}: {
  document: Model | null;
  plan: string | null;
}): string | null => (document?.plans.some((p) => p.name === plan) ? plan : null);
