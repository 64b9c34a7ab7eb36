import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Card, Empty, Field, inputLook, Tag } from "../../ui/parts";
import { Table, type Column } from "../../ui/table";
import type { Edition, Working } from "./types";

type Comparison = Schema["RulesComparison"];
type RuleDiffers = Comparison["rules"][number];
type TermDiffers = Comparison["terms"][number];

const title = (e: Edition) =>
  `${e.state === "draft" ? "Draft" : "Edition"} ${e.number}${e.name && `, ${e.name}`}${e.from_says && `, from ${e.from_says}`}`;

/** Any two editions side by side: the rules that differ, and where the terms do. */
export function CompareTab({ book, edition, now }: Working) {
  const others = book.editions.filter((e) => e.id !== edition.id);
  const usual = edition.id === now.id ? others.findLast((e) => e.state === "superseded") : now;
  const [from, setFrom] = useState<number>();
  const old = others.find((e) => e.id === from) ?? usual ?? others[0];
  if (!old) return <Empty>There is only one edition. Start a draft to see its differences here.</Empty>;
  return (
    <div className="grid gap-3.5">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="Compare with">
          <select className={inputLook} value={old.id} onChange={(e) => setFrom(Number(e.target.value))}>
            {others.map((e) => (
              <option key={e.id} value={e.id}>
                {title(e)}
              </option>
            ))}
          </select>
        </Field>
        <p className="pb-1 text-ink-2">Compare with {title(edition)}.</p>
      </div>
      <Compared old={old} edition={edition} />
    </div>
  );
}

function Compared({ old, edition }: { old: Edition; edition: Edition }) {
  const comparison = useQuery({
    queryKey: ["compare", old.id, old.revision, edition.id, edition.revision],
    queryFn: () => told(api.GET("/api/rulebook/compare", { params: { query: { from: old.id, to: edition.id } } })),
  });
  return <Loading of={comparison}>{(data) => <Differences data={data} what={title(edition)} />}</Loading>;
}

const ruleColumns: Column<RuleDiffers>[] = [
  { id: "rule", head: "Rule", value: (r) => r.name, className: "font-semibold" },
  { id: "before", head: "Before", value: (r) => r.old || "New", cell: (r) => r.old || <Tag tone="spruce">New</Tag> },
  {
    id: "after",
    head: "After",
    value: (r) => r.new || "Removed",
    cell: (r) => r.new || <Tag tone="buoy">Removed</Tag>,
  },
];

const termColumns: Column<TermDiffers>[] = [
  { id: "term", head: "Term", value: (t) => t.name, className: "font-semibold" },
  { id: "where", head: "Where", value: (t) => t.where },
  { id: "before", head: "Before", value: (t) => t.old },
  { id: "after", head: "After", value: (t) => t.new, className: "font-semibold" },
  {
    id: "by",
    head: "Decided by",
    value: (t) => `${t.new_rule}${t.old_rule !== t.new_rule ? `, before ${t.old_rule}` : ""}`,
    className: "text-sm text-ink-2",
  },
];

/** Rules and terms that differ, in tables. */
export function Differences({ data, what }: { data: Comparison; what: string }) {
  if (data.rules.length + data.terms.length === 0) return <Empty>{what} has the same effect everywhere.</Empty>;
  return (
    <div className="grid gap-3.5">
      {data.rules.length > 0 && (
        <Card label="Rules that differ">
          <Table label="Rules that differ" columns={ruleColumns} rows={data.rules} id={(r) => r.id} empty="None." />
        </Card>
      )}
      <Card label="Terms that differ">
        <Table
          label="Terms that differ"
          columns={termColumns}
          rows={data.terms}
          id={(t) => `${t.name} ${t.where} ${t.old}`}
          tools
          className="max-h-[60vh]"
          empty="The rules are written differently but have the same effect everywhere."
        />
        {data.more > 0 && <p className="px-4 py-2 text-ink-2">And {data.more} more places.</p>}
      </Card>
    </div>
  );
}
