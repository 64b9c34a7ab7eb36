import { useNavigate, useSearch } from "@tanstack/react-router";
import { Head, Tabs } from "../../ui/parts";
import { Answers } from "./Answers";
import { Deeds } from "./Deeds";
import { List } from "./List";
import { Lists } from "./Lists";
import { One } from "./One";
import { rostersTabs } from "./tabs";

/** School classes and clubs: made, filled by scans and by lists, moved up when a year ends. */
export function RostersPlace() {
  const navigate = useNavigate();
  const { tab, roster } = useSearch({ from: "/rosters" });
  if (roster) return <One key={roster} id={roster} />;
  const chosen = rostersTabs.find(([id]) => id === tab)?.[0] ?? "rosters";
  return (
    <div className="grid gap-3.5">
      <Head
        title="Rosters"
        says="School classes and clubs. A pupil is in one class at a time, and in any number of clubs."
      />
      <Tabs
        label="Rosters"
        tabs={rostersTabs}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/rosters", search: { tab: id } })}
      />
      {chosen === "rosters" && <List />}
      {chosen === "lists" && <Lists />}
      {chosen === "answers" && <Answers />}
      {chosen === "done" && <Deeds />}
    </div>
  );
}
