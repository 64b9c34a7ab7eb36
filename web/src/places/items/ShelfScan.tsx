import { Link } from "@tanstack/react-router";
import { api, keyed } from "../../api/client";
import { Code, Quiet, Tag, Trouble, type Tone } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import type { ShelfLine } from "./session";
import { useAgain } from "./stock";

const met: Record<ShelfLine["found"], string> = {
  in_place: "In place",
  out_of_order: "Out of order",
  on_loan: "On loan",
  elsewhere: "Another branch",
  other_collection: "Another collection",
  held: "On hold",
  under_way: "In transit",
  was_missing: "Was missing, found",
  found_elsewhere: "Was missing, wrong shelf",
  out_of_use: "Set aside",
  withdrawn: "Withdrawn",
  unknown: "Unknown",
  again: "Already scanned",
};

const tone = (l: ShelfLine): Tone => (l.good ? "spruce" : l.found === "out_of_order" ? "amber" : "buoy");

/** One scan, with what it met. */
export function ShelfScan({ line: l, open }: { line: ShelfLine; open: boolean }) {
  const again = useAgain();
  const undo = useWrite(
    (id: number, key) => api.POST("/api/inventory-lines/{id}/undo", { params: { path: { id }, header: keyed(key) } }),
    { name: `shelf line ${l.id}`, about: "Undoing a scan", done: again },
  );
  return (
    <li className={`flex flex-wrap items-baseline gap-x-2 px-3.5 py-1.5 ${l.undone ? "text-ink-3 line-through" : ""}`}>
      <span className="w-44">
        <Tag tone={l.undone ? "plain" : tone(l)}>{met[l.found]}</Tag>
      </span>
      <span className="w-32 font-semibold">{l.call_number}</span>
      <span className="flex-1">
        {l.item_id ? (
          <Link to="/items" search={{ item: l.item_id }} className="link">
            {l.title}
          </Link>
        ) : (
          <Code>{l.text}</Code>
        )}
        {!l.good && !l.undone && <span className="pl-2 text-sm text-ink-2">{l.says}</span>}
      </span>
      {open && !l.undone && (
        <Quiet disabled={undo.busy} onClick={() => undo.run(l.id)}>
          Undo
        </Quiet>
      )}
      <Trouble error={undo.problem} />
    </li>
  );
}
