import { useQuery } from "@tanstack/react-query";
import * as Dialog from "@radix-ui/react-dialog";
import { Command } from "cmdk";
import { useState } from "react";
import { choose, grouped, recent, useCommands } from "./commands";

const HEADING =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-ink2";
const ITEM =
  "flex cursor-pointer justify-between rounded px-2 py-1.5 data-[selected=true]:bg-heron-soft";

export function Palette() {
  const { commands, reader, open, setOpen } = useCommands();
  const [text, setText] = useState("");
  const { data: offers = [] } = useQuery({
    queryKey: ["palette", reader?.group, text],
    queryFn: () => reader!.offers(text),
    enabled: reader !== null && text.trim() !== "",
    gcTime: 0,
  });
  const all = Object.values(commands).flat();
  const groups = grouped(all, text.trim(), open ? recent() : []);
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(on) => {
        setOpen(on);
        setText("");
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-24 w-[34rem] -translate-x-1/2 overflow-hidden rounded-lg border border-rule bg-card shadow-xl"
        >
          <Dialog.Title className="sr-only">Commands</Dialog.Title>
          <Command label="Commands" shouldFilter={false}>
            <Command.Input
              value={text}
              onValueChange={setText}
              placeholder="What next?"
              className="w-full border-b border-rule bg-transparent px-4 py-3 text-[15px] outline-none placeholder:text-ink3"
            />
            <Command.List className="max-h-80 overflow-auto p-2">
              {offers.length > 0 && (
                <Command.Group heading={reader!.group} className={HEADING}>
                  {offers.map((o) => (
                    <Command.Item
                      key={o.text}
                      value={`reader ${o.text}`}
                      onSelect={() => {
                        if (!o.whole) return setText(o.text);
                        setOpen(false);
                        setText("");
                        reader!.perform(o.text);
                      }}
                      className={ITEM}
                    >
                      <span className="num shrink-0 text-[12.500px]">{o.text}</span>
                      <span className="ml-3 truncate text-[11.500px] text-ink2">{o.meaning}</span>
                    </Command.Item>
                  ))}
                </Command.Group>
              )}
              <Command.Empty className="p-3 text-ink2">No command of that name.</Command.Empty>
              {groups.map(({ heading, commands: own }) => (
                <Command.Group key={heading} heading={heading} className={HEADING}>
                  {own.map((c) => (
                    <Command.Item
                      key={c.id}
                      value={`${c.group} ${c.label} ${c.id}`}
                      onSelect={() => {
                        setOpen(false);
                        setText("");
                        choose(c);
                      }}
                      className={ITEM}
                    >
                      {c.label}
                      {c.shortcut && (
                        <kbd className="num text-[11px] text-ink2">
                          {c.shortcut.replaceAll("+", " ")}
                        </kbd>
                      )}
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
