import * as Menu from "@radix-ui/react-dropdown-menu";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call } from "../../api/client";
import { client, examples, files, starts } from "../../api/queries";
import type { Examination, Model, ProjectState, Start } from "../../api/types";
import { showTour } from "../../app/Tour";
import { ImportDialog } from "./ImportDialog";
import { replaced, useBench } from "./model";

const button =
  "rounded-md border border-rule bg-card px-3 py-1.5 font-medium text-heron hover:border-heron";

/** Whether nothing is built yet. */
export const empty = (d: Model): boolean => d.parts.length === 0 && d.illuminations.length === 0;

/** What an empty project asks: how to begin. */
export function Ways() {
  const { data } = useQuery(starts);
  const { data: shipped } = useQuery(examples);
  const { edit, open, projectId } = useBench();
  const [importing, setImporting] = useState(false);
  const copy = useMutation({
    mutationFn: (name: string) =>
      call<ProjectState>("POST", `/projects/${projectId}/examples/${name}`),
    onSuccess: async (state) => {
      await client.invalidateQueries({ queryKey: files(projectId).queryKey });
      open(state);
    },
    onError: (e) => useBench.setState({ fault: e.message }),
  });
  const begin = (start: Start): void =>
    edit((d) => ({ ...start.document, name: d.name === "Untitled" ? start.title : d.name }));
  return (
    <section
      aria-label="How to begin"
      className="absolute left-1/2 top-14 w-[44rem] max-w-[94%] -translate-x-1/2 rounded-lg border border-rule bg-card/95 p-4 shadow-sm"
    >
      <h2 className="text-[15px] font-semibold">What is to be solved?</h2>
      <p className="mb-3 text-ink2">
        Begin with a drawing: its dimensions are parameters, and it can be solved as it stands.
      </p>
      <ul className="grid grid-cols-5 gap-2">
        {data?.map((start) => (
          <li key={start.name} className="flex">
            <button
              type="button"
              title={start.hint}
              onClick={() => begin(start)}
              className="flex w-full flex-col rounded-md border border-rule bg-paper p-2 text-left hover:border-heron"
            >
              <span
                aria-hidden
                className="mb-1 block"
                dangerouslySetInnerHTML={{ __html: start.drawing }}
              />
              <span className="font-medium leading-tight">{start.title}</span>
              <span className="mt-0.5 text-[11.500px] leading-tight text-ink2">{start.hint}</span>
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <button
          type="button"
          className={button}
          onClick={() => document.getElementById("phrase")?.focus()}
        >
          Type a step
        </button>
        <button type="button" className={button} onClick={() => setImporting(true)}>
          Import a file
        </button>
        <Menu.Root>
          <Menu.Trigger className={button}>Copy an example ▾</Menu.Trigger>
          <Menu.Portal>
            <Menu.Content
              align="start"
              className="z-20 max-h-72 min-w-44 overflow-auto rounded-md border border-rule bg-card p-1 shadow-lg"
            >
              {shipped?.map((e) => (
                <Menu.Item
                  key={e.name}
                  className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft"
                  onSelect={() => copy.mutate(e.name)}
                >
                  {e.title}
                </Menu.Item>
              ))}
            </Menu.Content>
          </Menu.Portal>
        </Menu.Root>
        <button type="button" className="ml-auto text-heron hover:underline" onClick={showTour}>
          Show me around
        </button>
      </div>
      {importing && <ImportDialog onClose={() => setImporting(false)} />}
    </section>
  );
}

/** What a model still needs before it can be solved, each line ticked when it is there. */
export function Checklist({ examination }: { examination?: Examination }) {
  const d = useBench((s) => s.document)!;
  const edit = useBench((s) => s.edit);
  const mend = examination?.problems.find((p) => p.level === "error" && p.repair.length > 0);
  const errors = examination?.problems.filter((p) => p.level === "error").length ?? 0;
  const lines: [boolean, string, string][] = [
    [d.parts.length > 0, "a part", "wire, sheet or solid"],
    [d.feeds.length + d.illuminations.length > 0, "a feed", "or a wave that illuminates it"],
    [d.captures.length > 0, "a capture", "far or near field, current"],
    [d.plans.length > 0, "a plan", "band and number of points"],
    [
      examination !== undefined && errors === 0,
      "no errors",
      errors ? `${errors} in preflight` : "",
    ],
  ];
  if (lines.every(([done]) => done)) return null;
  return (
    <section
      aria-label="Until it can be solved"
      className="absolute bottom-14 right-4 w-60 rounded-lg border border-rule bg-card px-3 py-2"
    >
      <h2 className="mb-1 text-[11.500px] text-ink2">Until it can be solved</h2>
      <ul>
        {lines.map(([done, what, more]) => (
          <li key={what} data-done={done} className={done ? "text-ink2" : ""}>
            <span
              role="img"
              aria-label={done ? "done" : "missing"}
              className={`num mr-2 inline-block w-3 ${done ? "text-moss" : "text-rust"}`}
            >
              {done ? "✓" : "○"}
            </span>
            {what} <span className="text-[11.500px] text-ink2">{more}</span>
          </li>
        ))}
      </ul>
      {mend && (
        <button
          type="button"
          className="mt-1 font-medium text-heron hover:underline"
          onClick={() => edit((m) => mend.repair.reduce((d, r) => replaced(d, r.path, r.value), m))}
        >
          {mend.repair_label}
        </button>
      )}
    </section>
  );
}
