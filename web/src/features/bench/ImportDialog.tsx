import * as Dialog from "@radix-ui/react-dialog";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, upload } from "../../api/client";
import { client, files } from "../../api/queries";
import type { FileLine } from "../../api/types";
import { bytes, quantity } from "../../format";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { useBench } from "./model";
import { freeName } from "./steps";

/** Files of the project: upload, see what they hold and what is wrong with them, use them as a step. */
export function ImportDialog({ onClose }: { onClose: () => void }) {
  const projectId = useBench((s) => s.projectId);
  const { data } = useQuery(files(projectId));
  const [fault, setFault] = useState("");
  const refresh = (): Promise<void> =>
    client.invalidateQueries({ queryKey: files(projectId).queryKey });
  const send = async (chosen: File | undefined): Promise<void> => {
    if (!chosen) return;
    setFault("");
    try {
      await upload(`/projects/${projectId}/files`, chosen);
      await refresh();
    } catch (e) {
      setFault((e as Error).message);
    }
  };
  const use = (file: FileLine): void => {
    const name = freeName(
      useBench.getState().document!.parts,
      file.name
        .replace(/\.[^.]*$/, "")
        .replace(/[^\w .-]/g, "_")
        .replace(/^[^A-Za-z]+/, "") || "import",
    );
    useBench.getState().edit((d) => ({
      ...d,
      parts: [
        ...d.parts,
        {
          kind: "import",
          name,
          file: file.name,
          unit: "mm",
          at: ["0", "0", "0"],
          scale: "1",
          simplify: false,
          material: "perfect conductor",
        },
      ],
    }));
    onClose();
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-20 z-30 max-h-[80vh] w-[40rem] -translate-x-1/2 overflow-auto rounded-lg border border-rule bg-card p-5 shadow-xl"
        >
          <div className="mb-3 flex items-center gap-3">
            <Dialog.Title className="text-[16px] font-semibold">Files of this project</Dialog.Title>
            <label className="ml-auto cursor-pointer rounded-md border border-rule px-3 py-1 hover:border-heron">
              Upload STEP, STL, OBJ or DXF
              <input
                type="file"
                hidden
                accept=".step,.stp,.stl,.obj,.dxf"
                aria-label="Upload a file"
                onChange={(e) => void send(e.target.files?.[0])}
              />
            </label>
            <Dialog.Close className="px-1 text-ink2 hover:text-ink" aria-label="Close">
              ×
            </Dialog.Close>
          </div>
          {fault && (
            <p role="alert" className="mb-2 rounded bg-rust-soft px-3 py-1.5 text-rust">
              {fault}
            </p>
          )}
          {data?.length === 0 && (
            <p className="text-ink2">
              No files yet. Assemblies are taken apart into bodies; names, colours and units are
              kept.
            </p>
          )}
          <ul className="space-y-4">
            {data?.map((f) => (
              <Line
                key={f.name}
                file={f}
                onUse={() => use(f)}
                onDelete={() =>
                  void call(
                    "DELETE",
                    `/projects/${projectId}/files/${encodeURIComponent(f.name)}`,
                  ).then(refresh)
                }
              />
            ))}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Line({
  file,
  onUse,
  onDelete,
}: {
  file: FileLine;
  onUse: () => void;
  onDelete: () => void;
}) {
  const bodies = file.report.bodies ?? [],
    findings = file.report.findings ?? [];
  return (
    <li className="border-t border-rule pt-3">
      <div className="flex items-center gap-2">
        <Mark state={file.state === "refused" ? "stop" : findings.length ? "look" : "good"} />
        <span className="font-semibold">{file.name}</span>
        <span className="num text-[12px] text-ink2">{bytes(file.size)}</span>
        <span className="ml-auto" />
        {file.state === "ready" && (
          <Button look="main" onClick={onUse}>
            Use as a step
          </Button>
        )}
        <Button look="quiet" onClick={onDelete}>
          Delete
        </Button>
      </div>
      {file.state === "reading" && (
        <p role="status" className="pl-5 text-ink2">
          {file.message}…
        </p>
      )}
      {file.state === "refused" && (
        <p role="alert" className="pl-5 text-rust">
          {file.message}.
        </p>
      )}
      {findings.map((f, i) => (
        <p key={i} className="pl-5 text-[12px] text-rust">
          {f.text}.
        </p>
      ))}
      {bodies.length > 0 && (
        <table className="num ml-5 mt-1.5 text-[12px]">
          <thead>
            <tr className="text-left text-ink2">
              <th className="pr-4 font-normal">body</th>
              <th className="pr-4 font-normal">sort</th>
              <th className="pr-4 text-right font-normal">faces</th>
              <th className="font-normal">size</th>
            </tr>
          </thead>
          <tbody>
            {bodies.slice(0, 40).map((b, i) => (
              <tr key={i}>
                <td className="pr-4">{b.name}</td>
                <td className="pr-4">{b.kind}</td>
                <td className="pr-4 text-right">{b.faces}</td>
                <td>{b.size_m.map((s) => quantity(s, "m", 3)).join(" × ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {bodies.length > 40 && (
        <p className="pl-5 text-[12px] text-ink2">and {bodies.length - 40} more</p>
      )}
    </li>
  );
}
