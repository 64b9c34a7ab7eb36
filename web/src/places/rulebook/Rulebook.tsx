import { useQuery, useQueryClient } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect, useRef, useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { Button, Card, Field, Head, inputLook, Loading, Quiet, Trouble } from "../../kit/parts";
import { sayDay } from "../../kit/say";
import { useWhy } from "../../kit/why";
import { Change, type Cellular } from "./Change";

type Edition = Schema["RulesEdition"];

/** The rulebook: editions on a line, the grid of a term at a branch, drafts changed in the grid. */
export function RulebookPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const why = useWhy();
  const [branch, setBranch] = useState(me.branch);
  const [term, setTerm] = useState("loan_period");
  const [chosen, setChosen] = useState<number>();
  const [at, setAt] = useState<[number, number]>([0, 0]);
  const [starting, setStarting] = useState(false);
  const [from, setFrom] = useState<string>();
  const [reason, setReason] = useState("");
  const [error, setError] = useState<unknown>();

  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const editions = book.data?.editions ?? [];
  const now = editions.find((e) => e.state === "in_force");
  const edition = editions.find((e) => e.id === chosen) ?? now;
  const grid = useQuery({
    queryKey: ["grid", edition?.id, edition?.revision, term, branch],
    enabled: !!edition,
    placeholderData: (old: Schema["RulesGrid"] | undefined) => old,
    queryFn: () => told(api.GET("/api/rulebook/grid", { params: { query: { edition: edition!.id, term, branch } } })),
  });
  const supervising = me.role === "supervisor" || me.role === "administrator";
  const draft = edition?.state === "draft" ? edition : undefined;
  const info = book.data?.terms!.find((t) => t.id === term);
  const branchName = me.branches!.find((b) => b.code === branch)?.name;

  const row = grid.data?.rows![at[0]];
  const column = grid.data?.columns![at[1]];
  const cell = grid.data?.cells![at[0]]?.[at[1]];
  const showWhy = (r = row, c = column) =>
    r &&
    c &&
    edition &&
    told(
      api.GET("/api/rulebook/why", {
        params: { query: { edition: edition.id, term, branch, patron_class: r.code, material_class: c.code } },
      }),
    ).then((t) => t && why.show(t), setError);

  const after = (promise: Promise<Edition>) =>
    promise.then(
      (e) => {
        setChosen(e.id);
        setStarting(false);
        setError(undefined);
        return queries.invalidateQueries();
      },
      (e) => {
        setError(e);
        void queries.invalidateQueries({ queryKey: ["rulebook"] });
      },
    );
  const begin = () =>
    after(told(api.POST("/api/rulebook/drafts", { params: { header: newKey() }, body: { name: "" } })));
  const put = (day: string) =>
    after(
      told(
        api.POST("/api/rulebook/drafts/{id}/in-force", {
          params: { path: { id: draft!.id }, header: newKey() },
          body: { revision: draft!.revision, from: day, reason },
        }),
      ),
    );
  const drop = () =>
    told(api.DELETE("/api/rulebook/drafts/{id}", { params: { path: { id: draft!.id }, header: newKey() } })).then(
      () => {
        setChosen(undefined);
        return queries.invalidateQueries();
      },
      setError,
    );
  const today = me.now.slice(0, 10);

  const cellular: Cellular | undefined =
    row && column && cell && info
      ? {
          row,
          column,
          cell,
          term: info,
          branch,
          branchName: branchName ?? branch,
          dimensions: book.data!.dimensions as Cellular["dimensions"],
        }
      : undefined;
  return (
    <div className="grid gap-3.5">
      <Head title="Rulebook" says={edition && says(edition)}>
        {supervising && !draft && <Button onClick={() => void begin()}>Begin a draft</Button>}
        {supervising && draft && (
          <>
            <Button plain onClick={() => void drop()}>
              Drop this draft
            </Button>
            <Button onClick={() => setStarting(!starting)}>Put in force …</Button>
          </>
        )}
      </Head>
      <Trouble error={error ?? book.error ?? grid.error} />
      {starting && draft && (
        <Card label="Put in force" className="flex flex-wrap items-end gap-3 p-3.5">
          <Field label="From">
            <input
              type="date"
              className={inputLook}
              min={today}
              value={from ?? today}
              onChange={(e) => setFrom(e.target.value)}
            />
          </Field>
          <Field label="Why it is changed">
            <input className={`${inputLook} w-80`} value={reason} onChange={(e) => setReason(e.target.value)} />
          </Field>
          <Button onClick={() => void put(from ?? today)}>
            Put in force from {sayDay((from ?? today) + "T12:00:00Z")}
          </Button>
          <p className="w-full text-sm text-ink-2">
            Loans already made keep the terms they were lent under. An edition in force is never changed again.
          </p>
        </Card>
      )}
      <Editions list={editions} chosen={edition?.id} onChoose={setChosen} />
      <div className="grid grid-cols-[minmax(0,1fr)_280px] items-start gap-3.5">
        <Card label="Grid" className="p-3.5">
          <div className="mb-2 flex flex-wrap items-baseline gap-2">
            <select
              aria-label="Term"
              className="rounded bg-sunk px-1.5 py-0.5 font-semibold"
              value={term}
              onChange={(e) => setTerm(e.target.value)}
            >
              {book.data?.terms!.map((t) => (
                <option key={t.id} value={t.id}>
                  {t.name}
                </option>
              ))}
            </select>
            at
            <select
              aria-label="Branch"
              className="rounded bg-sunk px-1.5 py-0.5 font-semibold"
              value={branch}
              onChange={(e) => setBranch(e.target.value)}
            >
              {me.branches!.map((b) => (
                <option key={b.code} value={b.code}>
                  {b.name}
                </option>
              ))}
            </select>
            <span className="text-ink-2">
              {term === "loan_period" ? "in days" : (info?.unit ?? "")}, striped where only the base rule speaks
            </span>
          </div>
          {!grid.data ? (
            <Loading lines={10} />
          ) : (
            <Grid grid={grid.data} at={at} onMove={setAt} onWhy={(r, c) => void showWhy(r, c)} term={info} />
          )}
        </Card>
        {cellular && (
          <Card label="Chosen cell" className="grid gap-3 p-3.5">
            <div>
              <p className="text-sm text-ink-2">
                {cellular.row.name} borrowing {cellular.column.name.toLowerCase()} at {branchName}
              </p>
              <p className="text-2xl font-bold">{cellular.cell.says}</p>
              {cellular.cell.was && <p className="text-sm text-ink-2">In force today: {cellular.cell.was}</p>}
              {cellular.cell.barred && <p className="text-sm text-buoy-700">Not lent at all: see “Lending allowed”.</p>}
            </div>
            <Quiet className="justify-self-start" data-why onClick={() => void showWhy()}>
              Why {cellular.cell.says}
            </Quiet>
            <p className="text-sm text-ink-2">{info?.meaning}.</p>
            {draft && supervising ? (
              <Change at={cellular} draft={draft} onDone={(p) => void after(p)} />
            ) : (
              <p className="text-sm text-ink-2">
                {supervising
                  ? "Begin a draft to change it. Nothing counts until the draft is put in force."
                  : "Only a supervisor changes rules."}
              </p>
            )}
          </Card>
        )}
      </div>
    </div>
  );
}

function says(e: Edition) {
  if (e.state === "draft")
    return `Draft ${e.number}${e.name && `, “${e.name}”`}: ${e.changes === 1 ? "one rule differs" : `${e.changes} rules differ`} from the edition it came from.`;
  const words: Record<string, string> = {
    in_force: "in force since",
    coming: "comes into force on",
    superseded: "was in force from",
  };
  return `Edition ${e.number} ${words[e.state]} ${e.from_says}, ${e.rules} rules.`;
}

function Editions({ list, chosen, onChoose }: { list: Edition[]; chosen?: number; onChoose: (id: number) => void }) {
  return (
    <Card label="Editions" className="flex items-center gap-4 overflow-x-auto px-4 py-2">
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
              <span className={clsx(e.id === chosen && "font-bold")}>
                {e.state === "draft"
                  ? `Draft ${e.number}`
                  : `${e.number}${e.state === "in_force" ? " in force" : e.state === "coming" ? " coming" : ""}`}
                {e.from && ` · ${e.from_says}`}
              </span>
              <span
                aria-hidden
                className={clsx(
                  "size-3 rounded-full ring-3",
                  e.id === chosen ? "ring-ink" : "ring-surface",
                  e.state === "in_force"
                    ? "bg-spruce-700"
                    : e.state === "draft" || e.state === "coming"
                      ? "bg-amber-500"
                      : "bg-line-strong",
                )}
              />
            </button>
          </li>
        ))}
      </ol>
    </Card>
  );
}

function shade(weight: number) {
  if (weight < 0) return "#f4eee1";
  return `color-mix(in srgb, var(--color-spruce-500) ${Math.round(8 + 46 * weight)}%, var(--color-surface))`;
}

function Grid({
  grid,
  at,
  onMove,
  onWhy,
  term,
}: {
  grid: Schema["RulesGrid"];
  at: [number, number];
  onMove: (at: [number, number]) => void;
  onWhy: (r: Schema["RulesValue"], c: Schema["RulesValue"]) => void;
  term?: Schema["RulebookTermInfo"];
}) {
  const table = useRef<HTMLTableElement>(null);
  const moved = useRef(false);
  useEffect(() => {
    if (moved.current) table.current?.querySelector<HTMLButtonElement>(`[data-at="${at[0]},${at[1]}"]`)?.focus();
  }, [at]);
  const move = (r: number, c: number) => {
    moved.current = true;
    onMove([Math.max(0, Math.min(r, grid.rows!.length - 1)), Math.max(0, Math.min(c, grid.columns!.length - 1))]);
  };
  return (
    <div className="overflow-x-auto">
      <table ref={table} className="w-full border-separate border-spacing-[3px]" aria-label={term?.name}>
        <thead>
          <tr>
            <th>
              <span className="sr-only">Patron class</span>
            </th>
            {grid.columns!.map((c) => (
              <th
                key={c.code}
                scope="col"
                className="max-w-16 overflow-hidden px-0 pb-1 align-bottom text-[11.5px] leading-tight font-semibold hyphens-auto text-ink-2"
              >
                {c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {grid.rows!.map((r, y) => (
            <tr key={r.code}>
              <th scope="row" className="pr-2 text-left text-sm font-semibold">
                {r.name}
              </th>
              {grid.columns!.map((c, x) => {
                const cell = grid.cells![y]![x]!;
                const here = at[0] === y && at[1] === x;
                return (
                  <td key={c.code} className="p-0">
                    <button
                      type="button"
                      data-at={`${y},${x}`}
                      tabIndex={here ? 0 : -1}
                      aria-label={`${r.name}, ${c.name}: ${cell.barred ? "not lent" : cell.says}${cell.was ? `, was ${cell.was}` : ""}`}
                      onClick={() => move(y, x)}
                      onDoubleClick={() => onWhy(r, c)}
                      onKeyDown={(e) => {
                        const by: Record<string, [number, number]> = {
                          ArrowUp: [-1, 0],
                          ArrowDown: [1, 0],
                          ArrowLeft: [0, -1],
                          ArrowRight: [0, 1],
                        };
                        const step = by[e.key];
                        if (step) {
                          e.preventDefault();
                          move(y + step[0], x + step[1]);
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
                        here && "outline-2 -outline-offset-1 outline-ink",
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
