import clsx from "clsx";
import { useEffect, useRef, type KeyboardEvent } from "react";
import type { Schema } from "../../api/client";
import type { Cell } from "./types";

/** A cell by its row and column. */
export type Spot = [row: number, column: number];
/** What becomes of what was chosen before. */
export type Keep = "one" | "extend" | "toggle";

/** All cells between two corners. */
export function block(from: Spot, to: Spot): Spot[] {
  const out: Spot[] = [];
  for (let y = Math.min(from[0], to[0]); y <= Math.max(from[0], to[0]); y++)
    for (let x = Math.min(from[1], to[1]); x <= Math.max(from[1], to[1]); x++) out.push([y, x]);
  return out;
}

const steps: Record<string, Spot> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

/** Two dimensions against each other. Arrow keys walk through cells and headings alike; a heading chooses its line. */
export function Grid({
  grid,
  at,
  chosen,
  onMove,
  onChoose,
  onWhy,
  name,
  corner,
}: {
  grid: Schema["RulesGrid"];
  at: Spot;
  chosen: string[];
  onMove: (spot: Spot, keep: Keep) => void;
  onChoose: (spots: Spot[]) => void;
  onWhy: (row: number, column: number) => void;
  name: string;
  corner: string;
}) {
  const table = useRef<HTMLTableElement>(null);
  const moved = useRef(false);
  useEffect(() => {
    if (moved.current) focus(table.current, at);
  }, [at]);
  const { rows, columns } = grid;
  const move = (y: number, x: number, keep: Keep) => {
    moved.current = true;
    onMove([Math.max(0, Math.min(y, rows.length - 1)), Math.max(0, Math.min(x, columns.length - 1))], keep);
  };
  const walk = (e: KeyboardEvent, y: number, x: number) => {
    const step = steps[e.key];
    if (!step) return;
    e.preventDefault();
    const to: Spot = [y + step[0], x + step[1]];
    if (to[0] < 0 || to[1] < 0 || y < 0 || x < 0) focus(table.current, [Math.max(to[0], -1), Math.max(to[1], -1)]);
    if (to[0] >= 0 && to[1] >= 0) move(to[0], to[1], e.shiftKey ? "extend" : "one");
  };
  return (
    <div className="overflow-x-auto">
      <table ref={table} role="grid" className="w-full border-separate border-spacing-[3px]" aria-label={name}>
        <thead>
          <tr>
            <th>
              <span className="sr-only">{corner}</span>
            </th>
            {columns.map((c, x) => (
              <th key={c.code} scope="col" className="max-w-17 px-0 pb-1 align-bottom">
                <button
                  type="button"
                  data-at={`-1,${x}`}
                  tabIndex={-1}
                  title={`Select all of ${c.name}`}
                  onClick={() => onChoose(rows.map((_, y): Spot => [y, x]))}
                  onKeyDown={(e) => walk(e, -1, x)}
                  className="w-full cursor-pointer text-[0.6875rem] leading-tight font-semibold tracking-tight break-words text-ink-2"
                >
                  {c.name}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r, y) => (
            <tr key={r.code}>
              <th scope="row" className="pr-2 text-left">
                <button
                  type="button"
                  data-at={`${y},-1`}
                  tabIndex={-1}
                  title={`Select all of ${r.name}`}
                  onClick={() => onChoose(columns.map((_, x): Spot => [y, x]))}
                  onKeyDown={(e) => walk(e, y, -1)}
                  className="cursor-pointer text-left text-sm font-semibold"
                >
                  {r.name}
                </button>
              </th>
              {columns.map((c, x) => {
                const cell = grid.cells[y]?.[x];
                if (!cell) return <td key={c.code} />;
                const here = at[0] === y && at[1] === x;
                return (
                  <td key={c.code} className="p-0">
                    <button
                      type="button"
                      data-at={`${y},${x}`}
                      tabIndex={here ? 0 : -1}
                      aria-pressed={here || chosen.includes(`${y},${x}`)}
                      aria-label={`${r.name}, ${c.name}: ${cell.barred ? "not lent" : cell.says}${cell.was ? `, was ${cell.was}` : ""}`}
                      onClick={(e) => move(y, x, e.shiftKey ? "extend" : e.ctrlKey || e.metaKey ? "toggle" : "one")}
                      onDoubleClick={() => onWhy(y, x)}
                      onKeyDown={(e) => {
                        walk(e, y, x);
                        if (e.key !== "Enter") return;
                        e.preventDefault();
                        onWhy(y, x);
                      }}
                      style={{ backgroundColor: cell.barred ? "var(--color-buoy-100)" : shade(cell) }}
                      className={look(cell, here, chosen.length > 1 && chosen.includes(`${y},${x}`))}
                    >
                      {cell.barred ? "–" : cell.short}
                      {cell.was && <span className="text-xs font-normal">was {cell.was}</span>}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const focus = (table: HTMLElement | null, [y, x]: Spot) =>
  table?.querySelector<HTMLButtonElement>(`[data-at="${y},${x}"]`)?.focus();

const shade = (cell: Cell) =>
  cell.base_only
    ? "var(--color-sunk)"
    : `color-mix(in srgb, var(--color-spruce-500) ${Math.round(8 + 46 * cell.weight)}%, var(--color-surface))`;

const look = (cell: Cell, here: boolean, also: boolean) =>
  clsx(
    "grid h-10 w-full min-w-9 cursor-pointer place-content-center rounded text-center leading-none font-semibold tabular-nums",
    cell.base_only && !cell.barred && "slant-soft text-ink-2",
    cell.was && "border-b-4 border-amber-500",
    here ? "outline-2 -outline-offset-1 outline-ink" : also && "outline-2 -outline-offset-1 outline-amber-500",
    cell.short.length > 4 ? "text-xs" : "text-[15px]",
  );
