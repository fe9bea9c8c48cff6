/** Beside the sentence of a study: start it, and what became of it. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { call } from "../../api/client";
import { active, client, studies, studyForecast } from "../../api/queries";
import type { Path, Step, StudyDetail } from "../../api/types";
import { number, seconds } from "../../format";
import { useBench } from "./model";

export function StudyStart({ step }: { step: Step; base: Path }) {
  const { projectId, role, state, revision } = useBench();
  const navigate = useNavigate();
  const name = step.name ?? "";
  const { data: all } = useQuery(studies(projectId));
  const [asked, ask] = useState(false);
  const { data: forecast } = useQuery({
    ...studyForecast(projectId, name, revision),
    enabled: asked && state === "saved" && name !== "",
    retry: false,
  });
  const start = useMutation({
    mutationFn: () => call<StudyDetail>("POST", `/projects/${projectId}/studies`, { name }),
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: studies(projectId).queryKey });
      await navigate({
        to: "/projects/$projectId/studies/$number",
        params: { projectId: String(projectId), number: String(made.number) },
      });
    },
  });
  const last = all?.find((s) => s.name === name);
  return (
    <div className="flex flex-wrap items-baseline gap-x-3 py-0.5 text-[12px]">
      {role !== "reader" && (
        <button
          type="button"
          className="rounded border border-rule px-2 py-0.5 font-medium text-heron hover:border-heron disabled:opacity-45"
          disabled={start.isPending || state !== "saved"}
          onMouseEnter={() => ask(true)}
          onFocus={() => ask(true)}
          onClick={() => start.mutate()}
          aria-label={`Start ${name}`}
        >
          Start
        </button>
      )}
      {forecast && (
        <span className="num text-ink2">
          {step.kind === "tune" ? "at most " : ""}
          {number(forecast.most)} variants
          {forecast.seconds !== null && `, ${seconds(forecast.seconds)}`}
        </span>
      )}
      {last && (
        <Link
          className="text-heron hover:underline"
          to="/projects/$projectId/studies/$number"
          params={{ projectId: String(projectId), number: String(last.number) }}
        >
          study {last.number}: {active(last.status) ? "solving" : last.status}
        </Link>
      )}
      {start.error && (
        <p role="alert" className="w-full leading-snug text-rust">
          {start.error.message}
        </p>
      )}
    </div>
  );
}
