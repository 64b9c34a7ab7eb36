import clsx from "clsx";
import { Card } from "../../kit/parts";
import type { Edition } from "./types";

const dots: Record<Edition["state"], string> = {
  in_force: "bg-spruce-700",
  draft: "bg-amber-500",
  coming: "bg-amber-500",
  superseded: "bg-line-strong",
};

function name(e: Edition) {
  const words = {
    draft: `Draft ${e.number}`,
    in_force: `${e.number} in force`,
    coming: `${e.number} coming`,
    superseded: `${e.number}`,
  };
  return words[e.state] + (e.from ? ` · ${e.from_says}` : "");
}

/** All editions on a line of time, the one that is looked at marked. */
export function Editions({
  list,
  chosen,
  onChoose,
}: {
  list: Edition[];
  chosen?: number;
  onChoose: (id: number) => void;
}) {
  return (
    <Card label="Editions" className="flex items-center gap-4 overflow-x-auto px-4 py-2 print:hidden">
      <b className="font-semibold">Editions</b>
      <ol className="relative flex flex-1 justify-around before:absolute before:inset-x-0 before:bottom-[7px] before:h-0.5 before:bg-line-strong">
        {list.map((e) => (
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
    </Card>
  );
}
