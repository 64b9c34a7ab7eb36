import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { workAt } from "../../shell/house";
import { Loading } from "../../ui/loading";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { plural, sayClock, sayCount } from "../../ui/say";

type Task = Schema["TodayTask"];

/** Where a task is done, what to do, and why now. */
function sayTask(t: Task): { to: string; search: Record<string, string>; text: string; detail: string } {
  const leaves = t.leaves ? `${t.run ?? "The next run"} leaves at ${sayClock(t.leaves)}` : "";
  switch (t.kind) {
    case "fetch":
      return {
        to: "/fetch",
        search: {},
        text: `Fetch ${sayCount(t.number, "item")} at ${t.name}`,
        detail: [t.late > 0 && `${t.late} past ${plural(t.late, "its", "their")} promised date`, leaves]
          .filter(Boolean)
          .join("; "),
      };
    case "clear":
      return {
        to: "/holds",
        search: { tab: "clear" },
        text: `Clear ${sayCount(t.number, "expired hold")} at ${t.name}`,
        detail: t.late > 0 ? `${t.late} for more than two days` : "Other patrons or branches may be waiting for them",
      };
    case "stray":
      return {
        to: "/courier",
        search: { tab: "late" },
        text: `Find ${sayCount(t.number, "item")} missing on the way to ${t.name}`,
        detail: "Look for them at both branches",
      };
    case "trials":
      return {
        to: "/notices",
        search: {},
        text: `Check and send ${sayCount(t.number, "trial run")}`,
        detail: "Nothing is sent before somebody has looked",
      };
    case "sign_ups":
      return {
        to: "/patrons",
        search: { tab: "sign-ups" },
        text: `Check ${sayCount(t.number, "online sign-up")} for ${t.name}`,
        detail: "New patrons cannot borrow before that",
      };
    case "reports":
      return {
        to: "/rulebook",
        search: { tab: "reports" },
        text: `Answer ${sayCount(t.number, "report")} about the rules`,
        detail: "Branches think that a result was wrong",
      };
  }
}

/** The few things to do first, what is dearest to leave alone at the top; what is elsewhere says so. */
export function First({ branch, where, here }: { branch?: string; where?: string; here: string }) {
  const first = useQuery({ queryKey: ["today", "first"], queryFn: () => told(api.GET("/api/today/first")) });
  return (
    <Card label="What to do first">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">What to do first{where && ` at ${where}`}</h2>
      <Loading of={first} lines={7}>
        {(tasks) => {
          const list = tasks.filter((t) => !branch || t.branch === branch).slice(0, 7);
          return (
            <ul className="divide-y divide-line">
              {list.map((t) => (
                <One key={`${t.kind} ${t.branch}`} task={t} here={here} />
              ))}
              {list.length === 0 && (
                <li className="px-4 py-4 text-ink-2">Nothing urgent. New tasks appear here during the day.</li>
              )}
            </ul>
          );
        }}
      </Loading>
    </Card>
  );
}

function One({ task: t, here }: { task: Task; here: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [error, setError] = useState<unknown>();
  const { to, search, text, detail } = sayTask(t);
  const go = () => void navigate({ to, search });
  const elsewhere = t.branch !== "" && t.branch !== here;
  return (
    <li className="flex items-start gap-3 px-4 py-2.5">
      <span className="min-w-0 flex-1">
        <b className="block font-semibold">{text}</b>
        <span className="text-sm text-ink-2">{detail}</span>
        {elsewhere && (
          <span className="block">
            <Quiet onClick={() => void workAt(queries, t.branch).then(go, setError)}>Switch to {t.name}</Quiet>
          </span>
        )}
        <Trouble error={error} />
      </span>
      {t.late > 0 && <Tag tone="buoy">{t.late} late</Tag>}
      {!elsewhere && (
        <Button small plain aria-label={`Start: ${text}`} onClick={go}>
          Start
        </Button>
      )}
    </li>
  );
}
