import * as Menu from "@radix-ui/react-dropdown-menu";
import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { call } from "../../api/client";
import type { Step } from "../../api/types";
import { addParameter, addStep, freeName } from "./BuildSheet";
import { ImportDialog } from "./ImportDialog";
import { useBench } from "./model";
import { FRESH } from "./sentences";

const GROUPS = ["Wires", "Sheets", "Solids", "Changes", "Materials", "Feeds", "Captures", "Build"];
const item = "cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-heron-soft data-[state=open]:bg-heron-soft";
const panel = "z-20 min-w-44 rounded-md border border-rule bg-card p-1 shadow-lg";

/** The foot of the sheet: type a step as a phrase, or choose one. */
export function AddStep() {
  const role = useBench((s) => s.role);
  const [open, setOpen] = useState(false);
  const [importing, setImporting] = useState(false);
  if (role === "reader") return <p className="border-t border-rule px-11 py-2.5 text-ink2">You are a reader of this project.</p>;
  return (
    <div className="border-t border-rule py-2 pl-9 pr-4">
      <Phrase />
      <Menu.Root open={open} onOpenChange={setOpen}>
        <Menu.Trigger className="mt-1 rounded px-2 py-1 font-medium text-heron hover:bg-heron-soft"><span className="mr-2 text-rust">+</span>Add a step</Menu.Trigger>
        <Menu.Portal>
          <Menu.Content align="start" className={panel}>
            <Menu.Item className={item} onSelect={addParameter}>Parameter</Menu.Item>
            {GROUPS.map((group) => (
              <Menu.Sub key={group}>
                <Menu.SubTrigger className={`${item} flex justify-between`}>{group}<span className="text-ink3">›</span></Menu.SubTrigger>
                <Menu.Portal>
                  <Menu.SubContent className={panel} sideOffset={4}>
                    {Object.entries(FRESH).filter(([, f]) => f.group === group).map(([kind, { label }]) => <Menu.Item key={kind} className={item} onSelect={() => addStep(kind)}>{label}</Menu.Item>)}
                  </Menu.SubContent>
                </Menu.Portal>
              </Menu.Sub>
            ))}
            <Menu.Item className={item} onSelect={() => setImporting(true)}>Import a file…</Menu.Item>
            <Menu.Item className={item} onSelect={() => void pasteStep()}>Paste a copied step</Menu.Item>
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
    bench.edit((d) => ({ ...d, parts: [...d.parts, { ...step, name: freeName(d.parts, step.name!) }] }));
  } catch {
    useBench.setState({ fault: "The clipboard holds no step. Copy one from a step's menu first." });
  }
}

/** "box 40 x 20 x 1.6 mm, FR4, on ground" as a step. */
function Phrase() {
  const { document, edit } = useBench();
  const [text, setText] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const read = useMutation({
    mutationFn: (phrase: string) => call<Step>("POST", "/projects/phrase", { document, text: phrase }),
    onSuccess: (step) => {
      setText("");
      edit((d) => ({ ...d, parts: [...d.parts, step] }));
      field.current?.focus();
    },
  });
  return (
    <form onSubmit={(e) => { e.preventDefault(); if (text.trim()) read.mutate(text); }}>
      <input
        ref={field} id="phrase" aria-label="Type a step" value={text} onChange={(e) => { setText(e.target.value); read.reset(); }}
        placeholder="box 40 x 20 x 1.6 mm, FR4, on ground" autoComplete="off"
        className="num w-full rounded border border-rule bg-paper px-2 py-1 text-[12.500px] outline-none placeholder:text-ink3 focus:border-heron"
      />
      {read.error && <p role="alert" className="mt-0.5 text-[12px] leading-snug text-rust">{read.error.message}.</p>}
    </form>
  );
}
