import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { Code, Tag } from "../../ui/parts";
import { sayDate, sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Pairs } from "./Pairs";

type Tried = Schema["CouriersTried"];
type At = Tried["branches"][number];
type Worst = Tried["worst"][number];

/** Hours as people say them: under three days in hours, then in days. */
const sayHours = (h: number) => (h < 72 ? `${h.toFixed(0)} h` : `${(h / 24).toFixed(1)} days`);

const difference = (before: number, after: number) => {
  const d = after - before;
  return Math.abs(d) < 0.5 ? "as long" : `${sayHours(Math.abs(d))} ${d > 0 ? "longer" : "shorter"}`;
};

const days = (n: number, k: number) => (k === n - 1 ? `${k} or more` : k === 0 ? "under 1" : `${k}`);

/** What a change would have meant for what went in the last four weeks: promises, waiting and loads, before and after. */
export function Tried({ of: t }: { of: Tried }) {
  return (
    <section aria-label="What would have happened" className="grid gap-3">
      <div role="status">
        <h3 className="font-semibold">{t.says}</h3>
        <p>
          From {sayDate(t.first)} to {sayDate(t.last)} {t.moves} items were sent between branches, {t.holds - t.local}{" "}
          of them for holds; {t.local} more holds were filled at their pickup branch. Of the holds{" "}
          {t.later + t.sooner + t.never === 0 ? (
            <Tag tone="spruce">none would have arrived at another time</Tag>
          ) : (
            <>
              {t.never > 0 && <Tag tone="buoy">{t.never} would never have arrived</Tag>}{" "}
              {t.later > 0 && <Tag tone="amber">{t.later} later</Tag>}{" "}
              {t.sooner > 0 && <Tag tone="spruce">{t.sooner} sooner</Tag>}
            </>
          )}
        </p>
        <p>
          Average wait: {sayHours(t.before.mean)}; nine of ten waited less than {sayHours(t.before.tenth)}; it would
          have been <b className="font-semibold">{sayHours(t.after.mean)}</b> and {sayHours(t.after.tenth)}, from ready
          to on the shelf. Copies stay assigned as they were.
        </p>
      </div>
      <div className="grid gap-3 lg:grid-cols-2">
        <Pairs
          label="Holds by days waited"
          rows={t.before.days.map((n, k) => ({
            name: days(t.before.days.length, k),
            before: n,
            after: t.after.days[k] ?? 0,
          }))}
          say={(n) => `${n}`}
        />
        <Pairs
          label="Average daily maximum on board, by run"
          rows={runs(t)}
          say={(n) => (n === 0 ? "0" : n.toFixed(n < 10 ? 1 : 0))}
        />
      </div>
      <Table
        label="By branch"
        columns={branchColumns}
        rows={t.branches}
        id={(b) => b.code}
        tools
        paper={`${t.says}: waiting by branch`}
        empty="Nothing was sent for holds in these weeks."
      />
      {t.worst.length > 0 && (
        <Table
          label="Holds with the largest delay"
          columns={worstColumns}
          rows={t.worst}
          id={(w) => w.id}
          tools
          className="max-h-[40vh]"
          empty=""
        />
      )}
    </section>
  );
}

/** Runs of both sides: one may be new, or gone. */
function runs(t: Tried) {
  const after = new Map(t.after.loads.map((l) => [l.run, l]));
  const gone = t.before.loads.map((l) => ({ name: l.name, before: l.mean, after: after.get(l.run)?.mean ?? 0 }));
  const known = new Set(t.before.loads.map((l) => l.run));
  const fresh = t.after.loads.filter((l) => !known.has(l.run));
  return [...gone, ...fresh.map((l) => ({ name: l.name, before: 0, after: l.mean }))];
}

const branchColumns: Column<At>[] = [
  { id: "branch", head: "Pickup branch", value: (b) => b.name, className: "font-semibold" },
  { id: "holds", head: "Holds", value: (b) => b.holds, right: true },
  { id: "before", head: "Waited", value: (b) => b.before, cell: (b) => sayHours(b.before), right: true },
  { id: "after", head: "Would have waited", value: (b) => b.after, cell: (b) => sayHours(b.after), right: true },
  {
    id: "difference",
    head: "Difference",
    value: (b) => b.after - b.before,
    cell: (b) =>
      Math.abs(b.after - b.before) < 0.5 ? (
        <span className="text-ink-2">as long</span>
      ) : (
        <Tag tone={b.after > b.before ? "amber" : "spruce"}>{difference(b.before, b.after)}</Tag>
      ),
  },
  { id: "later", head: "Later", value: (b) => b.later, right: true },
  { id: "sooner", head: "Sooner", value: (b) => b.sooner, right: true },
];

const worstColumns: Column<Worst>[] = [
  {
    id: "item",
    head: "Item",
    value: (w) => `${w.title} ${w.barcode}`,
    cell: (w) => (
      <>
        <Link to="/items" search={{ item: w.item_id }} className="font-semibold hover:underline">
          {w.title}
        </Link>{" "}
        <Code>{w.barcode}</Code>
      </>
    ),
  },
  { id: "way", head: "Route", value: (w) => (w.from === w.to ? `stays at ${w.to}` : `${w.from} to ${w.to}`) },
  { id: "ready", head: "Ready", value: (w) => w.ready, cell: (w) => sayInstant(w.ready) },
  {
    id: "before",
    head: "On shelf",
    value: (w) => w.before ?? "",
    cell: (w) => (w.before ? sayInstant(w.before) : "never"),
  },
  {
    id: "after",
    head: "Would have been",
    value: (w) => w.after ?? "",
    cell: (w) => (w.after ? sayInstant(w.after) : <Tag tone="buoy">Never</Tag>),
  },
];
