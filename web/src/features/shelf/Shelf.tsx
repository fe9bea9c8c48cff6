import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { call } from "../../api/client";
import { client, examples, outline, project, projects } from "../../api/queries";
import type { ProjectCard, ProjectState } from "../../api/types";
import { Header } from "../../app/Header";
import { useRegister } from "../../app/commands";
import { Button } from "../../ui/Button";
import { ago } from "../../format";
import { Sketch } from "./Sketch";

/** Home: every project with its shape, its last number and what is running. */
export function Shelf() {
  const { data, isPending, error, refetch } = useQuery(projects);
  const { data: shipped } = useQuery(examples);
  const [wanted, setWanted] = useState("");
  const [order, setOrder] = useState("updated");
  const listed = (data ?? [])
    .filter((p) => p.name.toLowerCase().includes(wanted.trim().toLowerCase()))
    .sort(order === "name" ? (a, b) => a.name.localeCompare(b.name) : () => 0);
  const [fault, setFault] = useState("");
  const navigate = useNavigate();
  const file = useRef<HTMLInputElement>(null);
  const create = useMutation({
    mutationFn: (body: { example?: string; document?: unknown }) =>
      call<ProjectState>("POST", "/projects", body),
    onSuccess: async (made) => {
      client.setQueryData(project(made.id).queryKey, made);
      void client.invalidateQueries({ queryKey: projects.queryKey }); // the list may take its time; the new project need not wait for it
      await navigate({ to: "/projects/$projectId/bench", params: { projectId: String(made.id) } });
    },
    onError: (e) => setFault(e.message),
  });
  const open = async (chosen: File | undefined): Promise<void> => {
    if (!chosen) return;
    setFault("");
    let document: unknown;
    try {
      document = JSON.parse(await chosen.text());
    } catch {
      return setFault(`${chosen.name} is not JSON; choose a model file`);
    }
    if (typeof document !== "object" || document === null || Array.isArray(document))
      return setFault(
        `${chosen.name} is not a model: a model is a JSON object with parts, feeds and a plan`,
      );
    create.mutate({ document });
  };
  useRegister("shelf", [
    { id: "new", label: "New blank project", group: "Project", perform: () => create.mutate({}) },
    {
      id: "file",
      label: "New project from a file",
      group: "Project",
      perform: () => file.current?.click(),
    },
    ...(shipped ?? []).map((e) => ({
      id: `example-${e.name}`,
      label: `New from example: ${e.title}`,
      group: "Project",
      perform: () => create.mutate({ example: e.name }),
    })),
  ]);
  return (
    <div data-help="index" className="flex h-full flex-col">
      <Header title="Odd Heron" note="the Shelf" />
      <main className="flex-1 overflow-auto px-8 py-7">
        <div className="mx-auto max-w-6xl">
          <div className="mb-5 flex items-center gap-3">
            <h2 className="mr-auto text-[20px] font-semibold">Projects</h2>
            {(data?.length ?? 0) > 1 && (
              <>
                <input
                  type="search"
                  aria-label="Find a project"
                  placeholder="Find"
                  value={wanted}
                  onChange={(e) => setWanted(e.target.value)}
                  className="w-40 rounded-md border border-rule bg-card px-2 py-1"
                />
                <select
                  aria-label="Order of the projects"
                  value={order}
                  onChange={(e) => setOrder(e.target.value)}
                  className="rounded-md border border-rule bg-card px-2 py-1"
                >
                  <option value="updated">last changed first</option>
                  <option value="name">by name</option>
                </select>
              </>
            )}
            <Button look="main" onClick={() => create.mutate({})}>
              New project
            </Button>
            <Button onClick={() => file.current?.click()}>From a file</Button>
            <input
              ref={file}
              type="file"
              accept=".json,application/json"
              hidden
              onChange={(e) => void open(e.target.files?.[0])}
            />
          </div>
          {fault && (
            <p role="alert" className="mb-4 rounded-md bg-rust-soft px-3 py-2 text-rust">
              {fault}
            </p>
          )}
          {isPending && <p className="text-ink2">Fetching your projects…</p>}
          {error && (
            <p className="text-rust">
              {error.message}{" "}
              <Button look="quiet" onClick={() => void refetch()}>
                Try again
              </Button>
            </p>
          )}
          {data && data.length > 0 && listed.length === 0 && (
            <p className="text-ink2">No project of that name.</p>
          )}
          {data?.length === 0 && (
            <p className="rounded-lg border border-dashed border-rule p-8 text-center text-ink2">
              Nothing here yet. Start blank, or from one of the examples below.
            </p>
          )}
          <ul className="grid grid-cols-3 gap-4">
            {listed.map((p) => (
              <Card key={p.id} line={p} />
            ))}
          </ul>
          <h2 className="mb-3 mt-9 text-[15px] font-semibold">Start from an example</h2>
          <ul className="grid grid-cols-3 gap-x-4 gap-y-2">
            {shipped?.map((e) => (
              <li key={e.name}>
                <button
                  className="w-full rounded-md border border-transparent px-3 py-2 text-left hover:border-rule hover:bg-card"
                  onClick={() => create.mutate({ example: e.name })}
                >
                  <span className="font-medium text-heron">{e.title}</span>
                  <span className="block text-[12px] text-ink2">
                    {e.notes.replace("Saltmarsh Survey: ", "")}
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </div>
      </main>
    </div>
  );
}

function Card({ line }: { line: ProjectCard }) {
  const { data: drawn } = useQuery(outline(line.id, line.revision));
  return (
    <li>
      <Link
        to="/projects/$projectId/bench"
        params={{ projectId: String(line.id) }}
        className="block overflow-hidden rounded-lg border border-rule bg-card hover:border-heron"
      >
        <div className="h-36 border-b border-faint bg-paper">
          {drawn && <Sketch outline={drawn} />}
        </div>
        <div className="px-4 py-3">
          <div className="flex items-baseline gap-2">
            <span className="truncate text-[14px] font-semibold">{line.name}</span>
            <span className="ml-auto shrink-0 text-[12px] text-ink2">
              revision {line.revision}
              {line.role !== "owner" && ` · ${line.role}`}
            </span>
          </div>
          <p className="num mt-0.5 flex text-[12px] text-ink2">
            <span className="truncate">
              {line.running > 0
                ? `${line.running} running · ${Math.round(100 * line.fraction)} %`
                : line.headline || "not solved yet"}
            </span>
            <time
              dateTime={line.updated}
              title={new Date(line.updated).toLocaleString()}
              className="ml-auto shrink-0 pl-2"
            >
              {ago(line.updated)}
            </time>
          </p>
        </div>
        {line.running > 0 && (
          <div
            role="progressbar"
            aria-label={`Solving ${line.name}`}
            aria-valuenow={Math.round(100 * line.fraction)}
            className="h-0.5 origin-left bg-heron transition-transform"
            style={{ transform: `scaleX(${line.fraction})` }}
          />
        )}
      </Link>
    </li>
  );
}
