/** One factory per resource: key, fetcher, type. */
import { QueryClient, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { type Packet, Problem, call, packet } from "./client";
import type { Language } from "./language";
import { heldKeys, keep } from "../stage/meshes";
import type {
  Completion,
  Cut,
  Examination,
  ExampleLine,
  FileLine,
  Grade,
  MaterialCurve,
  MaterialLine,
  Model,
  PageState,
  ProjectCard,
  ProjectState,
  RawMesh,
  ReferenceLine,
  RunDetail,
  Second,
  RunDifferences,
  RunLine,
  Session,
  SpecState,
  Start,
  StudyDetail,
  StudyForecast,
  StudyLine,
  Sweep,
  TemplateLine,
  VariantNumbers,
} from "./types";

const BUSY = 429; // the server asks to come back
export const client = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) =>
        error instanceof Problem && error.status === BUSY
          ? count < 10
          : count < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
});

const LIVE_MS = 400;
export const active = (status: string): boolean => ["queued", "running", "paused"].includes(status);

export const session = queryOptions({
  queryKey: ["session"],
  queryFn: () => call<Session>("GET", "/session"),
  staleTime: Infinity,
});

export const projects = queryOptions({
  queryKey: ["projects"],
  queryFn: () => call<ProjectCard[]>("GET", "/projects"),
  staleTime: 0,
  refetchInterval: (q) => (q.state.data?.some((p) => p.running > 0) ? 1500 : false),
});
export const examples = queryOptions({
  queryKey: ["examples"],
  queryFn: () => call<ExampleLine[]>("GET", "/projects/examples"),
  staleTime: Infinity,
});
export const project = (id: number) =>
  queryOptions({
    queryKey: ["project", id],
    queryFn: () => call<ProjectState>("GET", `/projects/${id}`),
    staleTime: 0,
  });

/** Looks at a document; `files` changes when uploads do, so that import steps are looked at again. */
export const examination = (
  document: Model,
  projectId: number,
  files = "",
  plan: string | null = null,
) =>
  queryOptions({
    queryKey: ["examination", projectId, files, plan, JSON.stringify(document)],
    queryFn: async () => {
      const found = await call<Examination & { meshes: Record<string, RawMesh> }>(
        "POST",
        "/projects/examine",
        { document, project: projectId, plan, have: heldKeys() },
      );
      keep(found.meshes);
      return found as Examination;
    },
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: (before: Examination | undefined) => before,
  });
export const files = (id: number) =>
  queryOptions({
    queryKey: ["files", id],
    queryFn: () => call<FileLine[]>("GET", `/projects/${id}/files`),
    staleTime: 0,
    refetchInterval: (q) => (q.state.data?.some((f) => f.state === "reading") ? LIVE_MS : false),
  });
export const filesStamp = (lines: FileLine[] | undefined): string =>
  (lines ?? []).map((f) => `${f.name} ${f.size} ${f.state}`).join("|");
/** Lines of a revision's small drawing; it never changes. */
export const outline = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["outline", id, revision],
    queryFn: () =>
      call<{ points: [number, number, number][] }[]>("GET", `/projects/${id}/outline/${revision}`),
    staleTime: Infinity,
  });
export const language = queryOptions({
  queryKey: ["language"],
  queryFn: () => call<Language>("GET", "/projects/language"),
  staleTime: Infinity,
});
export const starts = queryOptions({
  queryKey: ["starts"],
  queryFn: () => call<Start[]>("GET", "/projects/starts"),
  staleTime: Infinity,
});
/** What goes on from a text; with the names that a document has. */
export const completions = (text: string, document: Model) =>
  queryOptions({
    queryKey: [
      "completions",
      text,
      [document.frames, document.parts, document.materials].map((l) => l.map((s) => s.name)),
    ],
    queryFn: () => call<Completion[]>("POST", "/projects/phrase/next", { document, text }),
    enabled: text.trim() !== "",
    gcTime: 60_000,
  });
export const materials = queryOptions({
  queryKey: ["materials"],
  queryFn: () => call<MaterialLine[]>("GET", "/projects/materials"),
  staleTime: Infinity,
});
export const materialCurve = (document: Model, name: string, band: [number, number]) =>
  queryOptions({
    queryKey: [
      "material-curve",
      name,
      band,
      JSON.stringify([document.materials, document.parameters]),
    ],
    staleTime: Infinity,
    queryFn: () =>
      call<MaterialCurve>("POST", "/projects/material-curve", {
        document,
        name,
        f_start: band[0],
        f_stop: band[1],
      }),
  });

export const runs = (id: number) =>
  queryOptions({
    queryKey: ["runs", id],
    queryFn: () => call<RunLine[]>("GET", `/projects/${id}/runs`),
    staleTime: 0,
    refetchInterval: (q) => (q.state.data?.some((r) => active(r.status)) ? LIVE_MS : false),
  });
export const run = (id: number, number: number) =>
  queryOptions({
    queryKey: ["run", id, number],
    queryFn: () => call<RunDetail>("GET", `/projects/${id}/runs/${number}`),
    staleTime: 0,
    refetchInterval: (q) => (q.state.data && active(q.state.data.status) ? LIVE_MS : false),
  });

/** Another engine's run of the same model, and how far the two are apart. */
export const secondEngine = (id: number, number: number) =>
  queryOptions({
    queryKey: ["second", id, number],
    queryFn: () => call<Second>("GET", `/projects/${id}/runs/${number}/second`),
    staleTime: 10_000,
    refetchInterval: (q) => (q.state.data?.active ? 4 * LIVE_MS : false),
  });

const ended = { staleTime: Infinity, gcTime: 600_000 } as const;
/** A path that reads results, with their digests: the browser may keep its answer for ever. */
const kept = (id: number, numbers: number[], path: string): string => {
  const lines = client.getQueryData(runs(id).queryKey) ?? [];
  const digests = numbers.map((n) => lines.find((r) => r.number === n)?.digest ?? "");
  return digests.every(Boolean)
    ? `${path}${path.includes("?") ? "&" : "?"}results=${digests.join()}`
    : path;
};
/** The run whose field is taken off, in `&minus=…`. */
const taken = (more: string): number[] =>
  [...more.matchAll(/[?&]minus=(\d+)/g)].map((found) => Number(found[1]));
export const sweep = (id: number, number: number) =>
  queryOptions({
    queryKey: ["sweep", id, number],
    queryFn: () => call<Sweep>("GET", kept(id, [number], `/projects/${id}/runs/${number}/sweep`)),
    ...ended,
  });
/** Cuts of several runs at once: each run's components in order, each with its planes. */
export const cuts = (
  id: number,
  numbers: number[],
  frequency: number,
  planes: string,
  shown = "",
) =>
  queryOptions<Cut[][]>({
    queryKey: ["cuts", id, numbers.join(), frequency, planes, shown],
    ...ended,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      call<Cut[][]>(
        "GET",
        kept(
          id,
          numbers,
          `/projects/${id}/cuts?runs=${numbers.join()}&frequency=${frequency}&planes=${encodeURIComponent(planes)}${shown}`,
        ),
        undefined,
        signal,
      ),
  });
/** Anything of a run that is JSON and does not change: "polarisation?…", "phase-centre?…", "time-domain?…", "decay/NAME?…". */
export const evaluated = <T extends object>(id: number, number: number, what: string) =>
  queryOptions<T>({
    queryKey: ["evaluated", id, number, what],
    ...ended,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      call<T>(
        "GET",
        kept(id, [number], `/projects/${id}/runs/${number}/${what}`),
        undefined,
        signal,
      ),
  });
export const page = (id: number) =>
  queryOptions({
    queryKey: ["page", id],
    queryFn: () => call<PageState>("GET", `/projects/${id}/readout`),
    staleTime: 0,
  });
export const templates = queryOptions({
  queryKey: ["templates"],
  queryFn: () => call<TemplateLine[]>("GET", "/projects/readout-templates"),
  staleTime: 0,
});
export const references = (id: number) =>
  queryOptions({
    queryKey: ["references", id],
    queryFn: () => call<ReferenceLine[]>("GET", `/projects/${id}/references`),
    staleTime: 0,
  });
/** Spec lines judged for every run; `stamp` changes when runs do. */
export const specs = (id: number, texts: string[], stamp: string) =>
  queryOptions({
    queryKey: ["specs", id, stamp, ...texts],
    staleTime: Infinity,
    gcTime: 600_000,
    placeholderData: (before: SpecState[] | undefined) => before,
    queryFn: () =>
      texts.length
        ? call<SpecState[]>("POST", `/projects/${id}/specs`, { texts })
        : Promise.resolve([]),
  });
export const grade = (id: number, first: string, second: string, formula: string) =>
  queryOptions({
    queryKey: ["grade", id, first, second, formula],
    ...ended,
    queryFn: () => call<Grade>("POST", `/projects/${id}/grade`, { first, second, formula }),
  });
export const runDifferences = (id: number, first: number, second: number) =>
  queryOptions({
    queryKey: ["differences", id, first, second],
    staleTime: 0,
    queryFn: () =>
      call<RunDifferences>("GET", `/projects/${id}/differences?first=${first}&second=${second}`),
  });
/** A layer of the grid's cells. */
export const gridCut = (
  document: Model,
  projectId: number,
  axis: string,
  at: number,
  stamp: string,
) =>
  queryOptions({
    queryKey: ["grid", projectId, stamp, axis, at, JSON.stringify(document)],
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () =>
      packet("/projects/views/grid", { document, project: projectId, asked: { axis, at } }),
    placeholderData: (before: Packet | undefined) =>
      before?.header.axis === axis ? before : undefined,
  });
/** Triangles that surfaces are divided into. */
export const triangles = (document: Model, projectId: number, stamp: string) =>
  queryOptions({
    queryKey: ["triangles", projectId, stamp, JSON.stringify(document)],
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () => packet("/projects/views/triangles", { document, project: projectId, asked: {} }),
  });
/** The modes of a line or guide feed over the band, with their fields at a frequency. */
export const modeStudy = (
  document: Model,
  projectId: number,
  feed: number,
  frequency: number | null,
  modes: number,
) =>
  queryOptions({
    queryKey: ["modes", projectId, feed, frequency, modes, JSON.stringify(document)],
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: () =>
      packet("/projects/views/modes", {
        document,
        project: projectId,
        asked: { feed, frequency, modes },
      }),
  });
/** Fields against time. */
export const signals = (id: number, number: number, name: string) =>
  queryOptions({
    queryKey: ["signals", id, number, name],
    ...ended,
    queryFn: () =>
      packet(
        kept(id, [number], `/projects/${id}/runs/${number}/signals/${encodeURIComponent(name)}`),
      ),
  });
/** Binary fields at the cursor: "pattern", "current", "surface/NAME" or "near/NAME". */
export const field = (id: number, number: number, what: string, frequency: number, more = "") =>
  queryOptions<Packet>({
    queryKey: ["field", id, number, what, frequency, more],
    ...ended,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      packet(
        kept(
          id,
          [number, ...taken(more)],
          `/projects/${id}/runs/${number}/${what}?frequency=${frequency}${more}`,
        ),
        undefined,
        signal,
      ),
  });

const STUDY_MS = 700;
export const studies = (id: number) =>
  queryOptions({
    queryKey: ["studies", id],
    queryFn: () => call<StudyLine[]>("GET", `/projects/${id}/studies`),
    staleTime: 0,
    refetchInterval: (q) => (q.state.data?.some((s) => active(s.status)) ? STUDY_MS : false),
  });
const unsolved = (s: StudyDetail | undefined): boolean =>
  s !== undefined && (active(s.status) || s.variants.some((v) => active(v.status)));
export const study = (id: number, number: number) =>
  queryOptions({
    queryKey: ["study", id, number],
    queryFn: () => call<StudyDetail>("GET", `/projects/${id}/studies/${number}`),
    staleTime: 0,
    enabled: number > 0,
    refetchInterval: (q) => (unsolved(q.state.data) ? STUDY_MS : false),
  });
export const studyForecast = (id: number, name: string, revision: number) =>
  queryOptions({
    queryKey: ["study-forecast", id, name, revision],
    queryFn: () =>
      call<StudyForecast>(
        "GET",
        `/projects/${id}/studies/forecast?name=${encodeURIComponent(name)}`,
      ),
    ...ended,
  });
/** A formula of all variants that are solved; `solved` says how many those are. */
export const studyCurves = (id: number, number: number, formula: string, solved: number) =>
  queryOptions<Packet>({
    queryKey: ["study-curves", id, number, formula, solved],
    queryFn: ({ signal }) =>
      packet(
        `/projects/${id}/studies/${number}/curves?formula=${encodeURIComponent(formula)}`,
        undefined,
        signal,
      ),
    enabled: solved > 0,
    placeholderData: keepPreviousData,
    ...ended,
  });
export const studyOutcome = (id: number, number: number, text: string, solved: number) =>
  queryOptions<VariantNumbers>({
    queryKey: ["study-outcome", id, number, text, solved],
    queryFn: () =>
      call<VariantNumbers>(
        "GET",
        `/projects/${id}/studies/${number}/outcome?text=${encodeURIComponent(text)}`,
      ),
    enabled: solved > 0 && text !== "",
    placeholderData: keepPreviousData,
    ...ended,
  });
/** Surrogates of the variants, channels with commas between; cuts are those at a frequency. */
export const studyDials = (
  id: number,
  number: number,
  channels: string,
  frequency: number,
  solved: number,
) =>
  queryOptions<Packet>({
    queryKey: ["study-dials", id, number, channels, frequency, solved],
    queryFn: ({ signal }) =>
      packet(
        `/projects/${id}/studies/${number}/dials?channels=${channels}&frequency=${frequency}`,
        undefined,
        signal,
      ),
    enabled: solved > 0,
    placeholderData: keepPreviousData,
    retry: false,
    ...ended,
  });
