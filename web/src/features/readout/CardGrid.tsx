import { memo, useState } from "react";
import type { CardEntry } from "../../api/types";
import { Sight, SightContext } from "../../app/cursor";
import { Card, FrameContext, Nothing } from "./Card";
import { useDesk } from "./context";
import { type KINDS, kindOf } from "./registry";
import { fresh } from "./templates";

/** Cards on three columns, each in its frame; `onChange` keeps how they are arranged. */
export const CardGrid = memo(function CardGrid({
  cards,
  onChange,
}: {
  cards: CardEntry[];
  onChange: (cards: CardEntry[]) => void;
}) {
  const swap = (next: (list: CardEntry[]) => CardEntry[]): void => onChange(next(cards));
  const put = (id: string, to: Partial<CardEntry>): void =>
    swap((list) => list.map((c) => (c.id === id ? { ...c, ...to } : c)));
  const moved = (id: string, by: number): void =>
    swap((list) => {
      const at = list.findIndex((c) => c.id === id),
        to = Math.min(list.length - 1, Math.max(0, at + by)),
        next = list.filter((c) => c.id !== id);
      next.splice(to, 0, list[at]!);
      return next;
    });
  return (
    <div className="grid grid-flow-row-dense grid-cols-3 content-start gap-3 print:grid-cols-2">
      {cards.map((entry) => {
        const kind = kindOf(entry.kind);
        if (!kind) return null;
        const set = (settings: CardEntry["settings"]): void => put(entry.id, { settings });
        return (
          <FrameContext
            key={entry.id}
            value={{
              entry,
              set,
              resize: (width, height) => put(entry.id, { width, height }),
              remove: () => swap((l) => l.filter((c) => c.id !== entry.id)),
              move: (by) => moved(entry.id, by),
              duplicate: () =>
                swap((l) =>
                  l.flatMap((c) => (c.id === entry.id ? [c, { ...c, id: fresh() }] : [c])),
                ),
              drop: (id) => {
                if (id !== entry.id)
                  moved(
                    id,
                    cards.findIndex((c) => c.id === entry.id) - cards.findIndex((c) => c.id === id),
                  );
              },
            }}
          >
            <Framed kind={kind} entry={entry} set={set} />
          </FrameContext>
        );
      })}
    </div>
  );
});

/** A card, or why the first ticked run cannot offer it; out of view it does not keep up with the cursor. */
function Framed({
  kind,
  entry,
  set,
}: {
  kind: (typeof KINDS)[number];
  entry: CardEntry;
  set: (s: CardEntry["settings"]) => void;
}) {
  const { shown } = useDesk();
  const [sight] = useState(() => new Sight());
  const why = kind.missing && (shown[0] ? kind.missing(shown[0]) : "there is no run to show yet");
  if (why)
    return (
      <Card title={kind.title}>
        <Nothing>{why[0]!.toUpperCase() + why.slice(1)}.</Nothing>
      </Card>
    );
  return (
    <SightContext value={sight}>
      <kind.Card entry={entry} set={set} />
    </SightContext>
  );
}
