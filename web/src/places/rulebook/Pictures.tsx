import clsx from "clsx";
import type { Schema } from "../../api/client";
import { Card, Empty } from "../../ui/parts";
import { sayCount, sayMoney, toFigures } from "../../ui/say";

/** One line of a sum by a dimension. */
export interface Sum {
  code: string;
  name: string;
  tally: Schema["RulebookTally"];
}

/** How many loans would have been due so many days later or earlier, as bars with their numbers. */
export function Moves({ by }: { by: Record<string, number> }) {
  const days = Object.entries(by)
    .map(([d, n]) => [Number(d), n] as const)
    .sort((a, b) => a[0] - b[0]);
  const most = Math.max(1, ...days.map(([, n]) => n));
  return (
    <Card label="Change of due dates" className="p-4">
      <b className="font-semibold">Change of due dates</b>
      {days.length === 0 ? (
        <Empty>No due date changes.</Empty>
      ) : (
        <dl className="mt-2 grid grid-cols-[7rem_4rem_1fr] items-center gap-x-2 gap-y-1 text-sm tabular-nums">
          {days.map(([d, n]) => (
            <div key={d} className="contents">
              <dt className="text-right whitespace-nowrap">
                {sayCount(Math.abs(d), "day")} {d > 0 ? "later" : "earlier"}
              </dt>
              <dd className="text-right">{n.toLocaleString("en")}</dd>
              <dd aria-hidden>
                <span
                  className={clsx("block h-3 rounded-sm", d > 0 ? "bg-spruce-500" : "slant bg-buoy-500")}
                  style={{ width: `${Math.max(1, (100 * n) / most)}%` }}
                />
              </dd>
            </div>
          ))}
        </dl>
      )}
    </Card>
  );
}

/** Charges before and after, branch by branch. */
export function Charges({ rows }: { rows: Sum[] }) {
  const most = Math.max(1, ...rows.map((r) => Math.max(r.tally.charged_before, r.tally.charged_after)));
  return (
    <Card label="Charges by branch" className="p-4">
      <p className="flex flex-wrap items-baseline gap-4">
        <b className="font-semibold">Charges by branch</b>
        <span className="flex items-center gap-1.5 text-sm text-ink-2">
          <span aria-hidden className="size-3 rounded-sm bg-line-strong" /> before
          <span aria-hidden className="ml-2 size-3 rounded-sm bg-spruce-500" /> after
        </span>
      </p>
      <ul className="mt-2 grid gap-2">
        {rows.map((r) => (
          <li key={r.code} className="grid grid-cols-[110px_1fr_90px] items-center gap-2 text-sm">
            <span>{r.name}</span>
            <span aria-hidden className="grid gap-0.5">
              <span
                className="block h-2 rounded-sm bg-line-strong"
                style={{ width: `${(100 * r.tally.charged_before) / most}%` }}
              />
              <span
                className="block h-2 rounded-sm bg-spruce-500"
                style={{ width: `${(100 * r.tally.charged_after) / most}%` }}
              />
            </span>
            <span className="text-right tabular-nums">{sayMoney(toFigures(r.tally.charged_after))}</span>
          </li>
        ))}
      </ul>
    </Card>
  );
}
