import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Card, Empty, Field, inputLook, Loading, Tag, Trouble } from "../../kit/parts";
import type { Edition, Working } from "./Rulebook";

const title = (e: Edition) =>
  `${e.state === "draft" ? "Draft" : "Edition"} ${e.number}${e.name && `, ${e.name}`}${e.from_says && `, from ${e.from_says}`}`;

/** Any two editions side by side: the rules that differ, and where the terms do. */
export function CompareTab({ book, edition, now }: Working) {
  const others = book.editions!.filter((e) => e.id !== edition.id);
  const usual = edition.id === now.id ? others.findLast((e) => e.state === "superseded") : now;
  const [from, setFrom] = useState<number>();
  const old = others.find((e) => e.id === from) ?? usual ?? others[0];
  const comparison = useQuery({
    queryKey: ["compare", old?.id, old?.revision, edition.id, edition.revision],
    enabled: !!old,
    queryFn: () => told(api.GET("/api/rulebook/compare", { params: { query: { from: old!.id, to: edition.id } } })),
  });
  if (!old) return <Empty>There is only one edition. Begin a draft, and its differences stand here.</Empty>;
  return (
    <div className="grid gap-3.5">
      <div className="flex items-end gap-3">
        <Field label="How this differs from">
          <select className={inputLook} value={old.id} onChange={(e) => setFrom(Number(e.target.value))}>
            {others.map((e) => (
              <option key={e.id} value={e.id}>
                {title(e)}
              </option>
            ))}
          </select>
        </Field>
        <p className="pb-1 text-ink-2">Seen from {title(edition)}.</p>
      </div>
      <Trouble error={comparison.error} />
      {comparison.data ? <Differences data={comparison.data} what={title(edition)} /> : <Loading lines={6} />}
    </div>
  );
}

/** Rules and terms that differ, in tables. */
export function Differences({ data, what }: { data: Schema["RulesComparison"]; what: string }) {
  if (data.rules!.length + data.terms!.length === 0) return <Empty>{what} says the same everywhere.</Empty>;
  return (
    <div className="grid gap-3.5">
      {data.rules!.length > 0 && (
        <Card label="Rules that differ">
          <table className="list">
            <thead>
              <tr>
                <th>Rule</th>
                <th>Before</th>
                <th>After</th>
              </tr>
            </thead>
            <tbody>
              {data.rules!.map((r) => (
                <tr key={r.id}>
                  <td className="font-semibold">{r.name}</td>
                  <td>{r.old || <Tag tone="spruce">New</Tag>}</td>
                  <td>{r.new || <Tag tone="buoy">Struck out</Tag>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      )}
      <Card label="Terms that differ" className="max-h-[60vh] overflow-auto">
        {data.terms!.length === 0 ? (
          <Empty>The rules are written differently and come to the same everywhere.</Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Term</th>
                <th>Where</th>
                <th>Before</th>
                <th>After</th>
                <th>Decided by</th>
              </tr>
            </thead>
            <tbody>
              {data.terms!.map((t, k) => (
                <tr key={k}>
                  <td className="font-semibold">{t.name}</td>
                  <td>{t.where}</td>
                  <td>{t.old}</td>
                  <td className="font-semibold">{t.new}</td>
                  <td className="text-sm text-ink-2">
                    {t.new_rule}
                    {t.old_rule !== t.new_rule && `, before ${t.old_rule}`}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {data.more > 0 && <p className="px-4 py-2 text-ink-2">And {data.more} more places.</p>}
      </Card>
    </div>
  );
}
