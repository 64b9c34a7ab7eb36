import clsx from "clsx";
import { Card, inputLook } from "../../ui/parts";
import type { Edition } from "./types";

const dots: Record<Edition["state"], string> = {
  in_force: "bg-spruce-700",
  draft: "bg-amber-500",
  coming: "bg-amber-500",
  superseded: "bg-line-strong",
  withdrawn: "bg-line-strong",
};

function name(e: Edition) {
  const words = {
    draft: `Draft ${e.number}`,
    in_force: `${e.number} in force`,
    coming: `${e.number} coming`,
    superseded: `${e.number}`,
    withdrawn: `${e.number} withdrawn`,
  };
  return words[e.state] + (e.from ? ` · ${e.from_says}` : "");
}

/** How many past editions, and how many drafts, stand on the line. */
const most = 3;

/** Those that stand on the line: what is in force or comes, the last of what was, the last drafts, and what is looked at. */
export function onTheLine(list: Edition[], chosen?: number): Edition[] {
  const last = (...states: Edition["state"][]) => list.filter((e) => states.includes(e.state)).slice(-most);
  const some = new Set([...last("superseded", "withdrawn"), ...last("draft")]);
  return list.filter((e) => some.has(e) || e.state === "in_force" || e.state === "coming" || e.id === chosen);
}

/** The editions on a line of time, the one that is looked at marked; a list has them all. */
export function Editions({
  list,
  chosen,
  onChoose,
}: {
  list: Edition[];
  chosen?: number;
  onChoose: (id: number) => void;
}) {
  const line = onTheLine(list, chosen);
  return (
    <Card label="Editions" className="flex items-center gap-4 overflow-x-auto px-4 py-2 print:hidden">
      <b className="font-semibold">Editions</b>
      <ol className="relative flex flex-1 justify-around before:absolute before:inset-x-0 before:bottom-[7px] before:h-0.5 before:bg-line-strong">
        {line.map((e) => (
          <li key={e.id} className="relative">
            <button
              type="button"
              aria-pressed={e.id === chosen}
              onClick={() => onChoose(e.id)}
              className="grid cursor-pointer justify-items-center gap-1 px-3 text-sm"
            >
              <span className={clsx("whitespace-nowrap", e.id === chosen && "font-bold")}>{name(e)}</span>
              <span
                aria-hidden
                className={clsx(
                  "size-3 rounded-full ring-3",
                  e.id === chosen ? "ring-ink" : "ring-surface",
                  dots[e.state],
                )}
              />
            </button>
          </li>
        ))}
      </ol>
      {line.length < list.length && (
        <select
          aria-label="All editions"
          className={clsx(inputLook, "w-44 flex-none")}
          value=""
          onChange={(e) => onChoose(Number(e.target.value))}
        >
          <option value="">All {list.length} editions …</option>
          {list.toReversed().map((e) => (
            <option key={e.id} value={e.id}>
              {name(e)}
              {e.name && `, ${e.name}`}
            </option>
          ))}
        </select>
      )}
    </Card>
  );
}
