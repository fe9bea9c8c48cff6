/** A page of the manual beside the work. */
import * as Dialog from "@radix-ui/react-dialog";
import { Link } from "@tanstack/react-router";
import { hideHelp, useHelp } from "../../app/help";
import { Article } from "./Article";
import { PAGES } from "./pages";

export default function Help() {
  const at = useHelp((s) => s.at);
  const [name, anchor] = (at ?? "").split("#") as [string, string | undefined];
  const page = PAGES[name] ?? PAGES.index;
  const show = (body: HTMLDivElement | null): void => {
    if (anchor) body?.querySelector(`#${CSS.escape(anchor)}`)?.scrollIntoView({ block: "start" });
  };
  return (
    <Dialog.Root modal={false} open={at !== null} onOpenChange={(open) => !open && hideHelp()}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(e) => e.preventDefault()}
          className="fixed bottom-0 right-0 top-[46px] z-30 flex w-[30rem] flex-col border-l border-rule bg-card shadow-xl"
        >
          <div className="flex items-center gap-4 border-b border-faint px-5 py-2">
            <Dialog.Title className="mr-auto text-[12px] text-ink2">Help</Dialog.Title>
            {page && (
              <Link
                to="/guide/$page"
                params={{ page: page.name }}
                hash={anchor}
                onClick={hideHelp}
                className="text-heron hover:underline"
              >
                Open in the Guide
              </Link>
            )}
            <Dialog.Close className="text-heron hover:underline">Close</Dialog.Close>
          </div>
          <div key={at} ref={show} className="flex-1 overflow-y-auto px-5 py-4">
            {page && <Article page={page} />}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
