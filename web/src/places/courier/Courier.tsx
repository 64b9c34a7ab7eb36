import { useNavigate, useSearch } from "@tanstack/react-router";
import { InHand } from "../../circulation/inhand";
import { useMe } from "../../shell/me";
import { Head, Tabs } from "../../ui/parts";
import { isEmployed, supervises } from "../../shell/places";
import { Day } from "./Day";
import { Flows } from "./Flows";
import { Strays } from "./Strays";
import { Timetable } from "./Timetable";
import { Totes } from "./Totes";
import { UnderWay } from "./UnderWay";
import { WhatIf } from "./WhatIf";
import { courierTabs } from "./tabs";

/** The courier: what is in transit, the day's runs with what is aboard, what has not arrived, and the timetable. */
export function CourierPlace() {
  const navigate = useNavigate();
  const { tab, date, tote } = useSearch({ from: "/courier" });
  const me = useMe();
  const tabs = courierTabs.filter(([id]) =>
    id === "flows" ? isEmployed(me.role) : id !== "whatif" || supervises(me.role),
  );
  const chosen = tabs.find(([id]) => id === tab)?.[0] ?? "way";
  return (
    <div className="grid gap-3.5">
      <Head title="Courier" says="What travels between branches, on which run, and what is missing." />
      <InHand prompt="Scan an item from a tote, or a tote label" />
      <Tabs
        label="Courier"
        tabs={tabs}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/courier", search: { tab: id } })}
      />
      {chosen === "way" && <UnderWay />}
      {chosen === "totes" && <Totes tote={tote} />}
      {chosen === "day" && <Day date={date} />}
      {chosen === "late" && <Strays />}
      {chosen === "timetable" && <Timetable />}
      {chosen === "whatif" && <WhatIf />}
      {chosen === "flows" && <Flows />}
    </div>
  );
}
