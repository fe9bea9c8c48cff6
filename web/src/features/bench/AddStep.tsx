import * as Menu from "@radix-ui/react-dropdown-menu";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useRef, useState } from "react";
import { call } from "../../api/client";
import { materials, phrases } from "../../api/queries";
import type { Step } from "../../api/types";
import { addParameter, addStep, freeName } from "./BuildSheet";
import { ImportDialog } from "./ImportDialog";
import { completions } from "./completion";
import { useBench } from "./model";
import { FRESH } from "./sentences";

const GROUPS = [
  "Wires",
  "Sheets",
  "Solids",
  "Changes",
  "Materials",
  "Feeds",
  "Grid",
  "Captures",
  "Build",
];
const item =
  "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft data-[state=open]:bg-heron-soft";
const panel = "z-20 min-w-44 rounded-md border border-rule bg-card p-1 shadow-lg";

/** The foot of the sheet: type a step as a phrase, or choose one. */
export function AddStep() {
  const role = useBench((s) => s.role);
  const [open, setOpen] = useState(false);
  const [importing, setImporting] = useState(false);
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
            <Menu.Item className={item} onSelect={addParameter}>
              Parameter
            </Menu.Item>
            {GROUPS.map((group) => (
              <Menu.Sub key={group}>
                <Menu.SubTrigger className={`${item} flex justify-between`}>
                  {group}
                  <span className="text-ink3">›</span>
                </Menu.SubTrigger>
                <Menu.Portal>
                  <Menu.SubContent className={panel} sideOffset={4}>
                    {Object.entries(FRESH)
                      .filter(([, f]) => f.group === group)
                      .map(([kind, { label }]) => (
                        <Menu.Item key={kind} className={item} onSelect={() => addStep(kind)}>
                          {label}
                        </Menu.Item>
                      ))}
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

/** A part copied from this or another project. */
async function pasteStep(): Promise<void> {
  const bench = useBench.getState();
  try {
    const step = JSON.parse(await navigator.clipboard.readText()) as Step;
    if (typeof step.kind !== "string" || typeof step.name !== "string") throw new Error("no step");
    bench.edit((d) => ({
      ...d,
      parts: [...d.parts, { ...step, name: freeName(d.parts, step.name!) }],
    }));
  } catch {
    useBench.setState({ fault: "The clipboard holds no step. Copy one from a step's menu first." });
  }
}

/** A phrase read by the server becomes the next part; refused with its reason otherwise. */
export async function addPhrase(text: string): Promise<void> {
  const step = await call<Step>("POST", "/projects/phrase", {
    document: useBench.getState().document,
    text,
  });
  useBench.getState().edit((d) => ({ ...d, parts: [...d.parts, step] }));
}

/** "box 40 x 20 x 1.6 mm, FR4, on ground" as a step, with what may come next. */
function Phrase() {
  const document = useBench((s) => s.document)!;
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState(-1);
  const [shut, setShut] = useState(true);
  const { data: library = [] } = useQuery(materials);
  const { data: examples = [] } = useQuery(phrases);
  const field = useRef<HTMLInputElement>(null);
  const offered = shut
    ? []
    : completions(
        text,
        document,
        library.map((m) => m.name),
        examples,
      );
  const read = useMutation({
    mutationFn: addPhrase,
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
  const press = (e: KeyboardEvent<HTMLInputElement>): void => {
    if (e.key === "Escape") setShut(true);
    else if (offered.length && (e.key === "ArrowDown" || e.key === "ArrowUp"))
      setChosen((c) => (c + (e.key === "ArrowDown" ? 1 : -1) + offered.length) % offered.length);
    else if (offered.length && e.key === "Tab" && !e.shiftKey)
      change(offered[Math.max(0, chosen)]!);
    else if (e.key === "Enter" && chosen >= 0) change(offered[chosen]!);
    else return;
    e.preventDefault();
  };
  return (
    <form
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
              key={o}
              role="option"
              aria-selected={i === chosen}
              onMouseDown={(e) => {
                e.preventDefault();
                change(o);
              }}
              className={`num cursor-pointer truncate rounded px-2 py-0.5 text-[12.500px] ${i === chosen ? "bg-heron-soft" : ""}`}
            >
              {o}
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
