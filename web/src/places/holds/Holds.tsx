import { useNavigate, useSearch } from "@tanstack/react-router";
import { Calls } from "../../circulation/calls";
import { InHand } from "../../circulation/inhand";
import { useMe } from "../../shell/me";
import { Head, Tabs } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { Clear } from "./Clear";
import { Demand } from "./Demand";
import { OpenHolds } from "./OpenHolds";
import { PlaceHold } from "./PlaceHold";
import { Shelf } from "./Shelf";
import { Stuck } from "./Stuck";
import { TitleQueue } from "./TitleQueue";
import { holdsTabs } from "./tabs";

/** What volunteers see of it: no telephone numbers, nothing to buy. */
const forAll = ["open", "shelf", "clear"];

/** Holds: placed, waiting, on the shelf, to be cleared. Scanning says where an item in hand goes, in each of them. */
export function HoldsPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const { tab, title, patron, roster } = useSearch({ from: "/holds" });
  const may = isEmployed(me.role);
  const shown = holdsTabs.filter(([id]) => may || forAll.includes(id));
  const chosen = shown.find(([id]) => id === tab)?.[0] ?? "open";
  if (title) return <TitleQueue key={title} id={title} />;
  return (
    <div className="grid gap-3.5">
      <Head title="Holds" says="Who is waiting, what is on the hold shelf, what has expired." />
      <InHand prompt="Scan any item to see where it goes" />
      <Tabs
        label="Holds"
        tabs={shown}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/holds", search: { tab: id } })}
      />
      {chosen === "open" && (
        <>
          {may && <PlaceHold key={`${patron} ${roster}`} patron={patron} roster={roster} />}
          <OpenHolds />
        </>
      )}
      {chosen === "shelf" && <Shelf />}
      {chosen === "clear" && <Clear />}
      {chosen === "calls" && <Calls />}
      {chosen === "demand" && <Demand />}
      {chosen === "stuck" && <Stuck />}
    </div>
  );
}
