import { Link } from "@tanstack/react-router";
import { useMemo } from "react";
import type { Schema } from "../../api/client";
import { Card } from "../../ui/parts";
import { sayMoney, sayWall, toFigures } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Charges, Moves, type Sum } from "./Pictures";
import { sayDimension, capital } from "./types";

type Rehearsal = Schema["RulesRehearsal"];
type Result = NonNullable<Rehearsal["result"]>;
type Tally = Schema["RulebookTally"];
type Case = Rehearsal["cases"][number];

const money = (minor: number) => sayMoney(toFigures(minor));
const count = (n: number) => n.toLocaleString("en");
const share = (n: number, of: number) => (of === 0 ? "" : `${((100 * n) / of).toFixed(1)}% of all`);

/** What a rehearsal has found: in short, in pictures, by dimension, and the loans that it touches most. */
export function Found({ r, found: f }: { r: Rehearsal; found: Result }) {
  return (
    <div className="grid gap-3.5">
      {r.stale && (
        <p className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
          The draft has changed since. Rehearse it again for current results.
        </p>
      )}
      <InShort r={r} f={f} />
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <Moves by={f.by_days} />
        <Charges rows={rowsOf(r, f, "lending_branch")} />
      </div>
      {["edition", "lending_branch", "patron_class", "material_class"].map((d) => (
        <Sums key={d} name={sayDimension(d)} rows={rowsOf(r, f, d)} />
      ))}
      <Cases r={r} />
      <Card label="Assumptions" className="p-4">
        <b className="font-semibold">Assumptions</b>
        <ul className="list-disc pl-5 text-ink-2">
          {r.assumed.map((t) => (
            <li key={t}>{t}</li>
          ))}
        </ul>
      </Card>
      <a
        href={`/api/rehearsals/${r.id}/table.csv`}
        download={`rehearsal-${r.number}.csv`}
        className="link justify-self-start"
      >
        Export all as CSV
      </a>
    </div>
  );
}

function InShort({ r, f }: { r: Rehearsal; f: Result }) {
  const difference = f.charged_after - f.charged_before;
  const figures: [name: string, value: string, says: string][] = [
    ["Loans checked", count(f.loans), `${r.period}, in ${r.seconds.toFixed(1)} s`],
    ["Due dates that change", count(f.moved), share(f.moved, f.loans)],
    [
      "Late fines",
      `${difference < 0 ? "−" : "+"}${money(Math.abs(difference))}`,
      `${money(f.charged_before)} before, ${money(f.charged_after)} after`,
    ],
    ["Returned late", count(f.late_after), `${count(f.late_before)} before`],
    [
      "Would be refused",
      count(f.refused),
      `${count(f.renewals_refused)} renewals too; ${count(f.allowed)} blocks fewer`,
    ],
    ["Patrons newly blocked", count(f.stopped?.length ?? 0), `${count(f.freed?.length ?? 0)} no longer`],
    [
      "Compared with",
      r.against === 0 ? "The rules at the time" : `Edition ${r.against}`,
      f.cut > 0 ? `${count(f.cut)} loans no longer name a patron` : "every loan names its patron",
    ],
    ["Holds waiting on", count(f.awaited), `of those that change, due ${count(f.awaited_days)} days later in all`],
  ];
  return (
    <Card label="In short" className="grid grid-cols-[repeat(auto-fit,minmax(170px,1fr))] gap-x-6 gap-y-3 p-4">
      {figures.map(([name, value, says]) => (
        <div key={name}>
          <p className="text-sm text-ink-2">{name}</p>
          <p className="font-display text-3xl font-bold tabular-nums">{value}</p>
          <p className="text-sm text-ink-2">{says}</p>
        </div>
      ))}
    </Card>
  );
}

function rowsOf(r: Rehearsal, f: Result, d: string): Sum[] {
  const by = (f.by as Record<string, Record<string, Tally> | undefined>)[d] ?? {};
  const names = r.names as Record<string, string | undefined>;
  return Object.entries(by)
    .map(([code, tally]) => ({ code, name: names[code] ?? code, tally }))
    .sort((a, b) => b.tally.loans - a.tally.loans);
}

const figure = (id: string, head: string, of: (t: Tally) => number, says: (n: number) => string): Column<Sum> => ({
  id,
  head,
  right: true,
  value: (s) => of(s.tally),
  cell: (s) => says(of(s.tally)),
});

const sumColumns = (name: string): Column<Sum>[] => [
  { id: "name", head: capital(name), value: (s) => s.name },
  figure("loans", "Loans", (t) => t.loans, count),
  figure("moved", "Due dates that change", (t) => t.moved, count),
  figure("refused", "Refused", (t) => t.refused, count),
  figure("late_before", "Late before", (t) => t.late_before, count),
  figure("late_after", "Late after", (t) => t.late_after, count),
  figure("charged_before", "Charged before", (t) => t.charged_before, money),
  figure("charged_after", "Charged after", (t) => t.charged_after, money),
];

function Sums({ name, rows }: { name: string; rows: Sum[] }) {
  const columns = useMemo(() => sumColumns(name), [name]);
  return (
    <Card label={`By ${name}`}>
      <Table label={`By ${name}`} columns={columns} rows={rows} id={(s) => s.code} tools empty="No loans." />
    </Card>
  );
}

const caseColumns: Column<Case>[] = [
  {
    id: "title",
    head: "Title",
    value: (c) => c.title,
    cell: (c) => (
      <Link to="/rulebook" search={{ loan: c.loan }} className="font-semibold hover:underline">
        {c.title}
      </Link>
    ),
  },
  { id: "patron", head: "Patron", value: (c) => c.name },
  { id: "due_before", head: "Due before", value: (c) => c.due_before, cell: (c) => sayWall(c.due_before) },
  { id: "due_after", head: "Due after", value: (c) => c.due_after, cell: (c) => sayWall(c.due_after) },
  {
    id: "before",
    head: "Charged before",
    value: (c) => Number(c.before),
    cell: (c) => sayMoney(c.before),
    right: true,
  },
  { id: "after", head: "Charged after", value: (c) => Number(c.after), cell: (c) => sayMoney(c.after), right: true },
  { id: "refused", head: "Refused", value: (c) => c.refused ?? "", className: "text-sm" },
];

const groups = [
  ["stopped", "Patrons newly blocked by what they would owe"],
  ["freed", "Patrons no longer blocked"],
] as const;

function Cases({ r }: { r: Rehearsal }) {
  const patrons = r.patrons as Record<string, Schema["RulesAffected"][] | undefined>;
  return (
    <>
      <Card label="Most affected loans">
        <h2 className="px-4 pt-3 font-semibold">Most affected loans</h2>
        <Table
          label="Most affected loans"
          columns={caseColumns}
          rows={r.cases}
          id={(c) => c.loan}
          tools
          className="max-h-[50vh]"
          empty="No loan would have been different."
        />
      </Card>
      {groups.map(([kind, head]) => {
        const some = patrons[kind] ?? [];
        if (some.length === 0) return null;
        return (
          <Card key={kind} label={head} className="p-4">
            <b className="font-semibold">{head}</b>
            <p className="flex flex-wrap gap-x-3">
              {some.map((p) => (
                <Link key={p.id} to="/patrons" search={{ patron: p.id }} className="hover:underline">
                  {p.name}
                </Link>
              ))}
            </p>
          </Card>
        );
      })}
    </>
  );
}
