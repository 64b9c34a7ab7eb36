import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { workAt } from "../../shell/house";
import { Card, Quiet, Tag, Trouble } from "../../ui/parts";
import type { Row, To } from "./types";

interface Thing {
  row: Row;
  count: number;
  late: number;
  to: To;
  text: string;
  detail: string;
}

const thingsOf = (row: Row): Thing[] => [
  {
    row,
    count: row.fetch.all,
    late: row.fetch.late,
    to: "/fetch",
    text: `Fetch ${row.fetch.all} at ${row.name}`,
    detail: row.fetch.late ? `${row.fetch.late} will miss their promised date` : "to leave today",
  },
  {
    row,
    count: row.clear.all,
    late: row.clear.all,
    to: "/holds",
    text: `Remove ${row.clear.all} expired holds at ${row.name}`,
    detail: "their pickup date has passed",
  },
  {
    row,
    count: row.coming.late,
    late: row.coming.late,
    to: "/courier",
    text: `Find ${row.coming.late} missing in transit to ${row.name}`,
    detail: "overdue; check both branches",
  },
];

/** The few things to do first, the most pressing at the top; what is elsewhere says so. */
export function First({ rows, where, here }: { rows: Row[]; where?: string; here: string }) {
  const navigate = useNavigate();
  const list = rows
    .flatMap(thingsOf)
    .filter((x) => x.count > 0)
    .sort((a, b) => b.late - a.late || b.count - a.count)
    .slice(0, 7);
  return (
    <Card label="What to do first">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">What to do first{where && ` at ${where}`}</h2>
      <ul className="divide-y divide-line">
        {list.map((x) => (
          <li key={x.text} className="flex items-start gap-3 px-4 py-2.5">
            <span className="flex-1">
              {x.row.branch === here ? (
                <button
                  type="button"
                  onClick={() => void navigate({ to: x.to, search: {} })}
                  className="block cursor-pointer text-left font-semibold hover:underline"
                >
                  {x.text}
                </button>
              ) : (
                <b className="block font-semibold">{x.text}</b>
              )}
              <span className="text-sm text-ink-2">{x.detail}</span>
              {x.row.branch !== here && <GoThere row={x.row} to={x.to} />}
            </span>
            <Tag tone={x.late ? "buoy" : "amber"}>{x.late ? `${x.late} late` : "today"}</Tag>
          </li>
        ))}
        {list.length === 0 && (
          <li className="px-4 py-4 text-ink-2">Nothing urgent. New tasks appear here during the day.</li>
        )}
      </ul>
    </Card>
  );
}

/** Goes to work at another branch, said in so many words. */
function GoThere({ row, to }: { row: Row; to: To }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [error, setError] = useState<unknown>();
  return (
    <span className="block">
      <Quiet onClick={() => void workAt(queries, row.branch).then(() => navigate({ to, search: {} }), setError)}>
        Switch to {row.name} to do this
      </Quiet>
      <Trouble error={error} />
    </span>
  );
}
