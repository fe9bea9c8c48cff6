import * as Menu from "@radix-ui/react-dropdown-menu";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useRef, useState } from "react";
import { client, completions } from "../../api/queries";
import { ImportDialog } from "./ImportDialog";
import { useLanguage } from "./language";
import { useBench } from "./model";
import { addStep, addTyped, pasteStep } from "./steps";

const item =
  "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft data-[state=open]:bg-heron-soft";
const panel = "z-20 min-w-44 rounded-md border border-rule bg-card p-1 shadow-lg";

/** The foot of the sheet: type a step as a phrase, or choose one. */
export function AddStep() {
  const role = useBench((s) => s.role);
  const [open, setOpen] = useState(false);
  const [importing, setImporting] = useState(false);
  const kinds = useLanguage()?.kinds ?? [];
  const groups = [...new Set(kinds.flatMap((k) => k.menu.map((e) => e.group)))];
  if (role === "reader")
    return (
      <p className="border-t border-rule px-11 py-2.5 text-ink2">
        You are a reader of this project.
      </p>
    );
  return (
    <div className="border-t border-rule py-2 pl-9 pr-4">
      <Phrase />
      <Menu.Root open={open} onOpenChange={setOpen}>
        <Menu.Trigger className="mt-1 rounded px-2 py-1 font-medium text-heron hover:bg-heron-soft">
          <span className="mr-2 text-rust">+</span>Add a step
        </Menu.Trigger>
        <Menu.Portal>
          <Menu.Content align="start" className={panel}>
            {groups.map((group) => (
              <Menu.Sub key={group}>
                <Menu.SubTrigger className={`${item} flex justify-between`}>
                  {group}
                  <span className="text-ink3">›</span>
                </Menu.SubTrigger>
                <Menu.Portal>
                  <Menu.SubContent className={panel} sideOffset={4}>
                    {kinds.flatMap((kind) =>
                      kind.menu.map(
                        (entry, n) =>
                          entry.group === group && (
                            <Menu.Item
                              key={entry.label}
                              className={item}
                              onSelect={() => addStep(kind, n)}
                            >
                              {entry.label}
                            </Menu.Item>
                          ),
                      ),
                    )}
                  </Menu.SubContent>
                </Menu.Portal>
              </Menu.Sub>
            ))}
            <Menu.Item className={item} onSelect={() => setImporting(true)}>
              Import a file…
            </Menu.Item>
            <Menu.Item className={item} onSelect={() => void pasteStep()}>
              Paste a copied step
            </Menu.Item>
          </Menu.Content>
        </Menu.Portal>
      </Menu.Root>
      {importing && <ImportDialog onClose={() => setImporting(false)} />}
    </div>
  );
}

/** "box 40 x 20 x 1.6 mm, FR4, on ground" as a step, with what may come next. */
function Phrase() {
  const document = useBench((s) => s.document)!;
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState(-1);
  const [shut, setShut] = useState(true);
  const { data: next = [], isPending } = useQuery(completions(shut ? "" : text, document));
  const field = useRef<HTMLInputElement>(null);
  const offered = shut || text.trim() === "" ? [] : next;
  const read = useMutation({
    mutationFn: addTyped,
    onSuccess: () => {
      setText("");
      field.current?.focus();
    },
  });
  const change = (next: string): void => {
    setText(next);
    setChosen(-1);
    setShut(false);
    read.reset();
  };
  // what is typed fast is completed as soon as the server has answered
  const awaited = !shut && text.trim() !== "" && isPending;
  const complete = async (): Promise<void> => {
    const found = awaited ? await client.fetchQuery(completions(text, document)) : offered;
    const best = found[Math.max(0, chosen)];
    if (best !== undefined && field.current?.value === text) change(best.text);
  };
  const press = (e: KeyboardEvent<HTMLInputElement>): void => {
    if (e.key === "Escape") setShut(true);
    else if (offered.length && (e.key === "ArrowDown" || e.key === "ArrowUp"))
      setChosen((c) => (c + (e.key === "ArrowDown" ? 1 : -1) + offered.length) % offered.length);
    else if ((offered.length || awaited) && e.key === "Tab" && !e.shiftKey) void complete();
    else if (e.key === "Enter" && chosen >= 0) change(offered[chosen]!.text);
    else return;
    e.preventDefault();
  };
  return (
    <form
      data-help="sheet#typing"
      className="relative"
      onSubmit={(e) => {
        e.preventDefault();
        setShut(true);
        if (text.trim()) read.mutate(text);
      }}
    >
      <input
        ref={field}
        id="phrase"
        aria-label="Type a step"
        value={text}
        onChange={(e) => change(e.target.value)}
        onKeyDown={press}
        onBlur={() => setShut(true)}
        placeholder="box 40 x 20 x 1.6 mm, FR4, on ground"
        autoComplete="off"
        role="combobox"
        aria-expanded={offered.length > 0}
        aria-controls="phrase-offers"
        className="num w-full rounded border border-rule bg-paper px-2 py-1 text-[12.500px] outline-none placeholder:text-ink3 focus:border-heron"
      />
      {offered.length > 0 && (
        <ul
          id="phrase-offers"
          role="listbox"
          aria-label="Completions"
          className="absolute bottom-full left-0 right-0 z-20 mb-1 rounded-md border border-rule bg-card p-1 shadow-lg"
        >
          {offered.map((o, i) => (
            <li
              key={o.text}
              role="option"
              aria-selected={i === chosen}
              onMouseDown={(e) => {
                e.preventDefault();
                change(o.text);
              }}
              className={`num cursor-pointer truncate rounded px-2 py-0.5 text-[12.500px] ${i === chosen ? "bg-heron-soft" : ""}`}
            >
              {o.text}
              <span className="block truncate font-sans text-[11.500px] text-ink2">
                {o.meaning}
              </span>
            </li>
          ))}
          <li className="px-2 pt-0.5 text-[11.500px] text-ink2">
            Tab takes the first, Enter adds the step.
          </li>
        </ul>
      )}
      {read.error && (
        <p role="alert" className="mt-0.5 text-[12px] leading-snug text-rust">
          {read.error.message}.
        </p>
      )}
    </form>
  );
}
