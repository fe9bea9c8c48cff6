import * as Menu from "@radix-ui/react-dropdown-menu";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { call } from "../api/client";
import { client, projects, runs, session } from "../api/queries";
import { Logo } from "../ui/Logo";
import { useCommands, useRegister } from "./commands";
import { showHelp } from "./help";
import { useTheme } from "./theme";

/** The line across the top: where we are, where else to go, who is here. */
export function Header({
  title,
  note,
  projectId,
}: {
  title?: string;
  note?: ReactNode;
  projectId?: string;
}) {
  const { data } = useQuery(session);
  const navigate = useNavigate();
  const { theme, toggle } = useTheme();
  const searching = useCommands((s) => s.open);
  const { data: others } = useQuery({ ...projects, enabled: searching });
  const { data: solved } = useQuery({
    ...runs(Number(projectId)),
    enabled: searching && projectId !== undefined,
  });
  const signOut = async (): Promise<void> => {
    await call("DELETE", "/session");
    client.clear();
    await navigate({ to: "/" });
    location.reload();
  };
  useRegister("header", [
    {
      id: "theme",
      label: theme === "day" ? "Dusk theme" : "Day theme",
      group: "View",
      shortcut: "Ctrl+Shift+L",
      perform: toggle,
    },
    {
      id: "shelf",
      label: "Go to the Shelf",
      group: "Go",
      perform: () => void navigate({ to: "/" }),
    },
    ...(projectId
      ? (["bench", "studies", "ledger", "readout"] as const).map((screen) => ({
          id: screen,
          label: `Go to ${screen[0]!.toUpperCase()}${screen.slice(1)}`,
          group: "Go",
          perform: () =>
            void navigate({ to: `/projects/$projectId/${screen}`, params: { projectId } }),
        }))
      : []),
    ...(others ?? [])
      .filter((p) => String(p.id) !== projectId)
      .map((p) => ({
        id: `project-${p.id}`,
        label: `Project: ${p.name}`,
        group: "Go",
        sought: true,
        perform: () =>
          void navigate({
            to: "/projects/$projectId/bench",
            params: { projectId: String(p.id) },
          }),
      })),
    ...(solved ?? []).map((r) => ({
      id: `run-${r.number}`,
      label: `Run ${r.number}: ${(r.headline as { text?: string }).text ?? r.status}`,
      group: "Go",
      sought: true,
      perform: () =>
        void navigate({
          to: r.has_results ? "/projects/$projectId/readout" : "/projects/$projectId/ledger",
          params: { projectId: projectId! },
        }),
    })),
    { id: "help", label: "Help", group: "Help", shortcut: "Shift+?", perform: showHelp },
    {
      id: "guide",
      label: "Open the Guide",
      group: "Help",
      perform: () => void navigate({ to: "/guide/$page", params: { page: "index" } }),
    },
    { id: "sign-out", label: "Sign out", group: "Account", perform: () => void signOut() },
  ]);
  const tab =
    "border-b-2 border-transparent px-2.5 pb-2.5 pt-3 text-ink2 hover:text-ink data-[status=active]:border-rust data-[status=active]:font-semibold data-[status=active]:text-ink";
  return (
    <header className="flex h-[46px] shrink-0 items-center border-b border-rule bg-card pl-4 pr-4">
      <Link to="/" aria-label="Shelf" className="mr-4">
        <Logo className="size-7" />
      </Link>
      <h1 className="max-w-60 truncate text-[15px] font-semibold">{title ?? "Odd Heron"}</h1>
      <span className="ml-4 min-w-28 text-[12px] text-ink2">{note}</span>
      {projectId && (
        <nav className="ml-6 flex gap-1 self-end" aria-label="Screens">
          <Link className={tab} to="/projects/$projectId/bench" params={{ projectId }}>
            Bench
          </Link>
          <Link className={tab} to="/projects/$projectId/studies" params={{ projectId }}>
            Studies
          </Link>
          <Link className={tab} to="/projects/$projectId/ledger" params={{ projectId }}>
            Ledger
          </Link>
          <Link
            data-tour="readout"
            className={tab}
            to="/projects/$projectId/readout"
            params={{ projectId }}
          >
            Readout
          </Link>
        </nav>
      )}
      <div className="ml-auto flex items-center gap-4">
        <button
          className="num rounded border border-rule px-1.5 text-[12px] text-ink2 hover:border-heron"
          onClick={() => useCommands.setState({ open: true })}
          aria-label="Ctrl K: open the command palette"
        >
          Ctrl K
        </button>
        <button
          type="button"
          aria-label="Help"
          title="Help on where you are: ?"
          className="num rounded border border-rule px-1.5 text-[12px] text-ink2 hover:border-heron"
          onClick={showHelp}
        >
          ?
        </button>
        <Link to="/" className="text-ink2 hover:text-ink">
          Shelf
        </Link>
        <Menu.Root>
          <Menu.Trigger
            aria-label={`${data?.initials ?? ""}: account of ${data?.username ?? ""}`}
            className="size-7 rounded-full bg-moss-soft text-[11px] font-semibold text-ink"
          >
            {data?.initials}
          </Menu.Trigger>
          <Menu.Portal>
            <Menu.Content
              align="end"
              sideOffset={6}
              className="z-20 min-w-44 rounded-md border border-rule bg-card p-1 shadow-lg"
            >
              <Menu.Label className="px-2 py-1 text-[12px] text-ink2">{data?.username}</Menu.Label>
              <Menu.Item
                onSelect={toggle}
                className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft"
              >
                {theme === "day" ? "Dusk theme" : "Day theme"}
              </Menu.Item>
              <Menu.Item
                onSelect={() => void signOut()}
                className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft"
              >
                Sign out
              </Menu.Item>
            </Menu.Content>
          </Menu.Portal>
        </Menu.Root>
      </div>
    </header>
  );
}
