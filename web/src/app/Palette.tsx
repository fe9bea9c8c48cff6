import * as Dialog from "@radix-ui/react-dialog";
import { Command } from "cmdk";
import { useCommands } from "./commands";

export function Palette() {
  const { commands, open, setOpen } = useCommands();
  const all = Object.values(commands).flat();
  const groups = [...new Set(all.map((c) => c.group))];
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content aria-describedby={undefined} className="fixed left-1/2 top-24 w-[34rem] -translate-x-1/2 overflow-hidden rounded-lg border border-rule bg-card shadow-xl">
          <Dialog.Title className="sr-only">Commands</Dialog.Title>
          <Command label="Commands">
            <Command.Input placeholder="What next?" className="w-full border-b border-rule bg-transparent px-4 py-3 text-[15px] outline-none placeholder:text-ink3" />
            <Command.List className="max-h-80 overflow-auto p-2">
              <Command.Empty className="p-3 text-ink2">No command of that name.</Command.Empty>
              {groups.map((group) => (
                <Command.Group key={group} heading={group} className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-ink2">
                  {all.filter((c) => c.group === group).map((c) => (
                    <Command.Item
                      key={c.id} disabled={c.enabled === false} value={`${c.group} ${c.label} ${c.id}`}
                      onSelect={() => { setOpen(false); c.perform(); }}
                      className="flex cursor-pointer justify-between rounded px-2 py-1.5 data-[disabled=true]:opacity-40 data-[selected=true]:bg-heron-soft"
                    >
                      {c.label}
                      {c.shortcut && <kbd className="num text-[11px] text-ink2">{c.shortcut.replaceAll("+", " ")}</kbd>}
                    </Command.Item>
                  ))}
                </Command.Group>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
