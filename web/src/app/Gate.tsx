import { useQuery } from "@tanstack/react-query";
import { Outlet } from "@tanstack/react-router";
import { Suspense, lazy } from "react";
import { Problem } from "../api/client";
import { session } from "../api/queries";
import { SignIn } from "../features/signin/SignIn";
import { Palette } from "./Palette";
import { useShortcuts } from "./commands";
import { useHelp } from "./help";

const Help = lazy(() => import("../features/guide/Help"));

/** Nothing is shown before somebody has signed in. */
export function Gate() {
  useShortcuts();
  const helped = useHelp((s) => s.at !== null);
  const { error, isPending, refetch } = useQuery({ ...session, retry: false });
  if (isPending) return <p className="p-8 text-ink2">Opening the notebook…</p>;
  if (error instanceof Problem && error.status === 401) return <SignIn />;
  if (error)
    return (
      <div className="p-8">
        <p className="mb-2 font-semibold">{error.message}</p>
        <button className="text-heron underline" onClick={() => void refetch()}>
          Try again
        </button>
      </div>
    );
  return (
    <>
      <Outlet />
      <Palette />
      {helped && (
        <Suspense>
          <Help />
        </Suspense>
      )}
    </>
  );
}
