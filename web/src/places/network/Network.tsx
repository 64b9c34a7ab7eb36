import { useNavigate, useSearch } from "@tanstack/react-router";
import { useMe } from "../../kit/me";
import { Head, Tabs } from "../../kit/parts";
import { administrates } from "../../kit/places";
import { Readings } from "./Readings";
import { Settled } from "./Settled";
import { Staff } from "./Staff";

const tabs = [
  ["staff", "Staff"],
  ["settings", "Settings"],
  ["readings", "Who looked at whom"],
] as const;

/** Who works here and where, what the network has settled, and who has opened whose record. */
export function NetworkPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const { tab, patron, staff } = useSearch({ from: "/network" });
  const offered = tabs.filter(([id]) => id !== "staff" || administrates(me.role));
  const chosen = offered.some(([id]) => id === tab) ? tab : offered[0]?.[0];
  return (
    <div className="grid gap-3.5">
      <Head title="Network" says={me.network} />
      <Tabs
        label="Parts of the network"
        tabs={offered}
        chosen={chosen ?? "settings"}
        onChoose={(id) => void navigate({ to: "/network", search: { tab: id } })}
      />
      {chosen === "staff" && <Staff />}
      {chosen === "settings" && <Settled />}
      {chosen === "readings" && <Readings patron={patron} staff={staff} />}
    </div>
  );
}
