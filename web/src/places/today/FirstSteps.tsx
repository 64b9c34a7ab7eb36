import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { CircleCheck, Circle } from "lucide-react";
import { api, told, type Schema } from "../../api/client";
import { Card } from "../../ui/parts";

type Step = Schema["UpkeepStep"];

const says: Record<Step["id"], { name: string; text: string; to: string; tab?: string }> = {
  hours: {
    name: "Opening hours",
    text: "Set hours for each branch; add closures and special days.",
    to: "/calendars",
  },
  staff: {
    name: "Staff",
    text: "Add staff, each with a role and a branch.",
    to: "/network",
    tab: "staff",
  },
  stations: {
    name: "Stations",
    text: "Name each workplace with a scanner, and its printer paper.",
    to: "/network",
    tab: "stations",
  },
  numbers: {
    name: "Numbers",
    text: "Set the formats of card and item numbers.",
    to: "/network",
    tab: "numbers",
  },
  lists: {
    name: "Lists and reasons",
    text: "Add reasons, prices and types of note.",
    to: "/network",
    tab: "lists",
  },
  mail: {
    name: "Email",
    text: "Set a mail server and a sender, then send a test email.",
    to: "/network",
    tab: "settings",
  },
  stock: {
    name: "Titles and items",
    text: "Import files, or add titles under Items.",
    to: "/network",
    tab: "moving",
  },
  patrons: {
    name: "Patrons",
    text: "Import files, or register patrons under Patrons.",
    to: "/network",
    tab: "moving",
  },
  backup: {
    name: "Backup",
    text: "Make a base backup (nevrin backup), or archive PostgreSQL’s log.",
    to: "/network",
    tab: "status",
  },
};

/** What a network needs before its first day, until something has been lent. */
export function FirstSteps() {
  const status = useQuery({ queryKey: ["status"], queryFn: () => told(api.GET("/api/status")) });
  if (!status.data || status.data.lent) return null;
  const { steps } = status.data;
  const done = steps.filter((s) => s.done).length;
  return (
    <Card label="First steps">
      <div className="flex flex-wrap items-baseline gap-x-3 border-b border-line px-4 py-2.5">
        <h2 className="font-semibold">First steps</h2>
        <p className="text-sm text-ink-2">
          {done} of {steps.length} done. This list disappears after the first loan.
        </p>
      </div>
      <ul className="grid md:grid-cols-2">
        {steps.map((s) => {
          const of = says[s.id];
          return (
            <li key={s.id} className="flex gap-3 px-4 py-2.5">
              {s.done ? (
                <CircleCheck aria-hidden className="mt-0.5 size-5 shrink-0 text-spruce-700" />
              ) : (
                <Circle aria-hidden className="mt-0.5 size-5 shrink-0 text-ink-2" />
              )}
              <div>
                <Link to={of.to} search={of.tab ? { tab: of.tab } : {}} className="link">
                  {of.name}
                </Link>
                <span className="sr-only">{s.done ? ", done" : ", not done"}</span>
                <p className="text-sm text-ink-2">{of.text}</p>
              </div>
            </li>
          );
        })}
      </ul>
    </Card>
  );
}
