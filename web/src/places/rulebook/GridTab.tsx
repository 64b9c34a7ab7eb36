import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect, useRef, useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { Button, Card, Loading, Quiet, Tag, Trouble } from "../../kit/parts";
import { useWhy } from "../../kit/why";
import { Change, type Cellular } from "./Change";
import { initial as initialOf, plain, ValueField } from "./ValueField";
import type { Working } from "./Rulebook";

const names: Record<string, string> = {
  lending_branch: "Lending branch",
  home_branch: "Home branch",
  collection: "Collection",
  material_class: "Material class",
  patron_class: "Patron class",
};
const dimensions = Object.keys(names);

type Spot = [number, number];

/** All cells between two corners. */
function block(from: Spot, to: Spot): string[] {
  const out: string[] = [];
  for (let y = Math.min(from[0], to[0]); y <= Math.max(from[0], to[0]); y++)
    for (let x = Math.min(from[1], to[1]); x <= Math.max(from[1], to[1]); x++) out.push(`${y},${x}`);
  return out;
}

/** One term in the cells of two dimensions, for any branch; cells of a draft are changed here, one or many at once. */
export function GridTab({ book, edition, draft, supervising, after }: Working) {
  const me = useMe().data!;
  const why = useWhy();
  const [term, setTerm] = useState("loan_period");
  const [rows, setRows] = useState("patron_class");
  const [columns, setColumns] = useState("material_class");
  const [fixed, setFixed] = useState<Record<string, string>>({ lending_branch: me.branch });
  const [at, setAt] = useState<Spot>([0, 0]);
  const [anchor, setAnchor] = useState<Spot>([0, 0]); // where choosing several began
  const [many, setMany] = useState<string[]>([]); // further chosen cells, as "row,column"
  const [error, setError] = useState<unknown>();
  const [set, setSet] = useState<Schema["RulesCellsSet"]>();

  const values = book.dimensions as Record<string, Schema["RulesValue"][]>;
  const info = book.terms!.find((t) => t.id === term)!;
  const given = Object.fromEntries(
    Object.entries(fixed).filter(([d, v]) => v && d !== rows && d !== columns),
  ) as Record<string, string>;
  const query = { edition: edition.id, term, rows, columns, ...given };
  const grid = useQuery({
    queryKey: ["grid", query, edition.revision],
    placeholderData: (old: Schema["RulesGrid"] | undefined) => old,
    queryFn: () => told(api.GET("/api/rulebook/grid", { params: { query } })),
  });
  const shown = grid.data;
  const row = shown?.rows![at[0]];
  const column = shown?.columns![at[1]];
  const cell = shown?.cells![at[0]]?.[at[1]];
  const chosen = [...new Set([`${at[0]},${at[1]}`, ...many])];

  const showWhy = (r = row, c = column) =>
    r &&
    c &&
    told(
      api.GET("/api/rulebook/why", {
        params: { query: { edition: edition.id, term, ...given, [rows]: r.code, [columns]: c.code } },
      }),
    ).then((t) => t && why.show(t), setError);

  const move = (spot: Spot, keep: "one" | "extend" | "toggle") => {
    setSet(undefined);
    setAt(spot);
    if (keep === "extend") {
      setMany(block(anchor, spot));
      return;
    }
    const key = `${spot[0]},${spot[1]}`;
    if (keep === "one") setMany([]);
    else setMany(many.includes(key) ? many.filter((k) => k !== key) : [...chosen, key]);
    setAnchor(spot);
  };
  const choose = (keys: string[]) => {
    setSet(undefined);
    setMany(keys);
    const [y, x] = keys[0]!.split(",").map(Number);
    setAt([y!, x!]);
    setAnchor([y!, x!]);
  };
  const axis = (side: "rows" | "columns", d: string) => {
    setMany([]);
    setAt([0, 0]);
    setAnchor([0, 0]);
    setSet(undefined);
    if (side === "rows") {
      setRows(d);
      if (d === columns) setColumns(rows);
    } else {
      setColumns(d);
      if (d === rows) setRows(columns);
    }
  };

  const simple = rows === "patron_class" && columns === "material_class" && chosen.length === 1 && given.lending_branch;
  const cellular: Cellular | undefined =
    simple && row && column && cell
      ? {
          row,
          column,
          cell,
          term: info,
          branch: given.lending_branch!,
          branchName: values.lending_branch!.find((b) => b.code === given.lending_branch)?.name ?? "",
          dimensions: values,
        }
      : undefined;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_280px] items-start gap-3.5 print:block">
      <Card label="Grid" className="p-3.5">
        <div className="mb-2 flex flex-wrap items-baseline gap-x-2 gap-y-1.5">
          <Pick label="Term" value={term} onChange={setTerm} options={book.terms!.map((t) => [t.id, t.name])} />
          <Pick
            label="Rows"
            value={rows}
            onChange={(d) => axis("rows", d)}
            options={dimensions.map((d) => [d, `by ${names[d]!.toLowerCase()}`])}
          />
          <Pick
            label="Columns"
            value={columns}
            onChange={(d) => axis("columns", d)}
            options={dimensions.map((d) => [d, `and ${names[d]!.toLowerCase()}`])}
          />
          {dimensions
            .filter((d) => d !== rows && d !== columns)
            .map((d) => (
              <Pick
                key={d}
                label={d === "lending_branch" ? "Branch" : names[d]!}
                value={fixed[d] ?? ""}
                onChange={(v) => setFixed({ ...fixed, [d]: v })}
                options={[
                  ["", d === "home_branch" ? "its own items" : `any ${names[d]!.toLowerCase()}`],
                  ...values[d]!.map((v): [string, string] => [v.code, v.name]),
                ]}
              />
            ))}
          <span className="text-sm text-ink-2">
            {term === "loan_period" ? "in days" : (info.unit ?? "")}, striped where only the base rule speaks
          </span>
          <span className="ml-auto flex gap-3 print:hidden">
            <a
              className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
              href={`/api/rulebook/editions/${edition.id}/grid.csv?${new URLSearchParams(query as never).toString()}`}
              download={`grid-${edition.number}-${term}.csv`}
            >
              This grid as CSV
            </a>
            <a
              className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
              href={`/api/rulebook/editions/${edition.id}/review.csv`}
              download={`review-${edition.number}.csv`}
            >
              All terms as CSV
            </a>
            <Quiet onClick={() => window.print()}>Print</Quiet>
          </span>
        </div>
        {!shown ? (
          <Loading lines={10} />
        ) : (
          <Grid
            grid={shown}
            at={at}
            chosen={chosen}
            onMove={move}
            onChoose={choose}
            onWhy={(r, c) => void showWhy(r, c)}
            term={info}
            corner={names[rows]!}
          />
        )}
        <p className="mt-2 text-sm text-ink-2 print:hidden">
          Arrow keys move, with Shift they choose several; Ctrl and a click adds a cell, a heading takes the whole line.
          Enter says why.
        </p>
      </Card>
      <div className="grid gap-3.5 print:hidden">
        <Trouble error={error ?? grid.error} />
        {row && column && cell && (
          <Card label={chosen.length > 1 ? "Chosen cells" : "Chosen cell"} className="grid gap-3 p-3.5">
            {chosen.length > 1 ? (
              <p className="text-2xl font-bold">{chosen.length} cells</p>
            ) : (
              <>
                <div>
                  <p className="text-sm text-ink-2">
                    {row.name}, {column.name}
                  </p>
                  <p className="text-2xl font-bold">{cell.says}</p>
                  {cell.was && <p className="text-sm text-ink-2">In force today: {cell.was}</p>}
                  {cell.barred && <p className="text-sm text-buoy-700">Not lent at all: see “Lending allowed”.</p>}
                </div>
                <Quiet className="justify-self-start" data-why onClick={() => void showWhy()}>
                  Why {cell.says}
                </Quiet>
              </>
            )}
            <p className="text-sm text-ink-2">{info.meaning}.</p>
            {draft && cellular && <Change at={cellular} draft={draft} onDone={(p) => void after(p)} />}
            {draft && !cellular && (
              <ChangeCells
                key={chosen.join(" ")}
                term={info}
                initial={cell}
                many={chosen.length > 1}
                onSet={(value) => {
                  const body = {
                    revision: draft.revision,
                    term,
                    value: plain(info, value),
                    rows,
                    columns,
                    cells: chosen.map((k) => {
                      const [y, x] = k.split(",").map(Number);
                      return [shown!.rows![y!]!.code, shown!.columns![x!]!.code];
                    }),
                    scope: Object.fromEntries(Object.entries(given).map(([d, v]) => [d, [v]])),
                    at: given,
                  };
                  void after(
                    told(
                      api.PUT("/api/rulebook/drafts/{id}/cells", {
                        params: { path: { id: draft.id }, header: newKey() },
                        body,
                      }),
                    ).then((s) => {
                      setSet(s);
                      return s.edition;
                    }),
                  );
                }}
                where={Object.entries(given).map(([d, v]) => values[d]!.find((x) => x.code === v)?.name ?? v)}
              />
            )}
            {!draft && (
              <p className="text-sm text-ink-2">
                {supervising
                  ? "Begin a draft to change it. Nothing counts until the draft is put in force."
                  : "Only a supervisor changes rules."}
              </p>
            )}
          </Card>
        )}
        {set && (
          <Card label="What was written" className="grid gap-2 p-3.5 text-sm">
            <p>
              <Tag tone="spruce">Written</Tag> as {set.rules!.length === 1 ? "one rule" : `${set.rules!.length} rules`}:
            </p>
            <ul className="grid gap-1">
              {set.rules!.map((r) => (
                <li key={r}>{r}</li>
              ))}
            </ul>
            {set.stay!.length > 0 && (
              <>
                <p>
                  <Tag tone="amber">Do not follow</Tag> since something narrower decides:
                </p>
                <ul className="grid gap-1">
                  {set.stay!.map((r) => (
                    <li key={r}>{r}</li>
                  ))}
                </ul>
              </>
            )}
          </Card>
        )}
      </div>
    </div>
  );
}

/** Sets all chosen cells to one value; the server finds the fewest rules that say it. */
function ChangeCells({
  term,
  initial,
  where,
  many,
  onSet,
}: {
  many: boolean;
  term: Schema["RulebookTermInfo"];
  initial: Schema["RulesCell"];
  where: string[];
  onSet: (value: string) => void;
}) {
  const [value, setValue] = useState<string>();
  return (
    <form
      className="grid gap-2.5 border-t border-line pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        onSet(value ?? initialOf(term, initial));
      }}
    >
      <ValueField term={term} cell={initial} value={value} onChange={setValue} />
      <p className="text-sm text-ink-2">
        {where.length > 0 ? `Only for ${where.join(", ")}.` : "Whatever the other dimensions are."}
      </p>
      <Button type="submit" className="justify-self-start">
        Set {many ? "them together" : "it in the draft"}
      </Button>
    </form>
  );
}

function Pick({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: [string, string][];
  onChange: (v: string) => void;
}) {
  return (
    <select
      aria-label={label}
      className="max-w-52 rounded bg-sunk px-1.5 py-0.5 font-semibold"
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </select>
  );
}

function shade(weight: number) {
  if (weight < 0) return "#f4eee1";
  return `color-mix(in srgb, var(--color-spruce-500) ${Math.round(8 + 46 * weight)}%, var(--color-surface))`;
}

const steps: Record<string, Spot> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

function Grid({
  grid,
  at,
  chosen,
  onMove,
  onChoose,
  onWhy,
  term,
  corner,
}: {
  grid: Schema["RulesGrid"];
  at: Spot;
  chosen: string[];
  onMove: (spot: Spot, keep: "one" | "extend" | "toggle") => void;
  onChoose: (keys: string[]) => void;
  onWhy: (r: Schema["RulesValue"], c: Schema["RulesValue"]) => void;
  term: Schema["RulebookTermInfo"];
  corner: string;
}) {
  const table = useRef<HTMLTableElement>(null);
  const moved = useRef(false);
  useEffect(() => {
    if (moved.current) table.current?.querySelector<HTMLButtonElement>(`[data-at="${at[0]},${at[1]}"]`)?.focus();
  }, [at]);
  const rows = grid.rows!;
  const columns = grid.columns!;
  const move = (y: number, x: number, keep: "one" | "extend" | "toggle") => {
    moved.current = true;
    onMove([Math.max(0, Math.min(y, rows.length - 1)), Math.max(0, Math.min(x, columns.length - 1))], keep);
  };
  return (
    <div className="overflow-x-auto">
      <table ref={table} className="w-full border-separate border-spacing-[3px]" aria-label={term.name}>
        <thead>
          <tr>
            <th>
              <span className="sr-only">{corner}</span>
            </th>
            {columns.map((c, x) => (
              <th key={c.code} scope="col" className="max-w-16 px-0 pb-1 align-bottom">
                <button
                  type="button"
                  tabIndex={-1}
                  title={`Choose all of ${c.name}`}
                  onClick={() => onChoose(rows.map((_, y) => `${y},${x}`))}
                  className="w-full cursor-pointer overflow-hidden text-[11.5px] leading-tight font-semibold hyphens-auto text-ink-2"
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
                  tabIndex={-1}
                  title={`Choose all of ${r.name}`}
                  onClick={() => onChoose(columns.map((_, x) => `${y},${x}`))}
                  className="cursor-pointer text-left text-sm font-semibold"
                >
                  {r.name}
                </button>
              </th>
              {columns.map((c, x) => {
                const cell = grid.cells![y]![x]!;
                const here = at[0] === y && at[1] === x;
                const also = chosen.length > 1 && chosen.includes(`${y},${x}`);
                return (
                  <td key={c.code} className="p-0">
                    <button
                      type="button"
                      data-at={`${y},${x}`}
                      tabIndex={here ? 0 : -1}
                      aria-pressed={here || also}
                      aria-label={`${r.name}, ${c.name}: ${cell.barred ? "not lent" : cell.says}${cell.was ? `, was ${cell.was}` : ""}`}
                      onClick={(e) => move(y, x, e.shiftKey ? "extend" : e.ctrlKey || e.metaKey ? "toggle" : "one")}
                      onDoubleClick={() => onWhy(r, c)}
                      onKeyDown={(e) => {
                        const step = steps[e.key];
                        if (step) {
                          e.preventDefault();
                          move(y + step[0], x + step[1], e.shiftKey ? "extend" : "one");
                        } else if (e.key === "Enter") {
                          e.preventDefault();
                          onWhy(r, c);
                        }
                      }}
                      style={{
                        backgroundColor: cell.barred
                          ? "var(--color-buoy-100)"
                          : shade(cell.base_only ? -1 : cell.weight),
                      }}
                      className={clsx(
                        "grid h-9 w-full min-w-9 cursor-pointer place-content-center rounded text-center leading-none font-semibold tabular-nums",
                        cell.base_only && !cell.barred && "slant-soft text-ink-2",
                        cell.was && "border-b-4 border-amber-500",
                        here
                          ? "outline-2 -outline-offset-1 outline-ink"
                          : also && "outline-2 -outline-offset-1 outline-amber-500",
                        cell.short.length > 4 ? "text-[11px]" : "text-[15px]",
                      )}
                    >
                      {cell.barred ? "–" : cell.short}
                      {cell.was && <span className="text-[10.5px] font-normal">was {cell.was}</span>}
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
