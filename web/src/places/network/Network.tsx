import { useNavigate, useSearch } from "@tanstack/react-router";
import { Loading } from "../../kit/loading";
import { useMe } from "../../kit/me";
import { Head, Tabs } from "../../kit/parts";
import { administrates } from "../../kit/places";
import { Branches } from "./Branches";
import { Changes } from "./Changes";
import { Choices } from "./Choices";
import { Classes } from "./Classes";
import { Files } from "./Files";
import { MovingIn } from "./intake/MovingIn";
import { NumberPatterns } from "./Numbers";
import { Partners } from "./Partners";
import { useNetwork } from "./parts";
import { Readings } from "./Readings";
import { Settled } from "./Settled";
import { Staff } from "./Staff";
import { Stations } from "./Stations";
import { Status } from "./Status";

const tabs = [
  ["branches", "Branches"],
  ["stations", "Stations"],
  ["staff", "Staff"],
  ["classes", "Classes"],
  ["lists", "Lists"],
  ["numbers", "Numbers"],
  ["partners", "Partners"],
  ["settings", "Settings"],
  ["status", "Status"],
  ["history", "History"],
  ["readings", "Who looked at whom"],
  ["moving", "Moving in"],
  ["files", "Moving out"],
] as const;

/** What the network is made of, who works here, and who has done what with it. */
export function NetworkPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const network = useNetwork();
  const { tab, patron, staff, file } = useSearch({ from: "/network" });
  const offered = tabs.filter(([id]) => !["staff", "status", "moving", "files"].includes(id) || administrates(me.role));
  const chosen = offered.find(([id]) => id === tab)?.[0] ?? "branches";
  return (
    <div className="grid gap-3.5">
      <Head
        title="Network"
        says={administrates(me.role) ? me.network : `${me.network}. Who administrates Nevrin changes what stands here.`}
      />
      <Tabs
        label="Parts of the network"
        tabs={offered}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/network", search: { tab: id } })}
      />
      {chosen === "staff" && <Staff />}
      {chosen === "status" && <Status />}
      {chosen === "history" && <Changes />}
      {chosen === "moving" && <MovingIn file={file} />}
      {chosen === "files" && <Files />}
      {chosen === "readings" && <Readings patron={patron} staff={staff} />}
      {!["staff", "status", "history", "readings", "moving", "files"].includes(chosen) && (
        <Loading of={network}>
          {(n) => (
            <>
              {chosen === "branches" && <Branches rows={n.branches} lacks={n.lacks} />}
              {chosen === "stations" && <Stations rows={n.stations} />}
              {chosen === "classes" && <Classes rows={n.classes} />}
              {chosen === "lists" && <Choices rows={n.choices} />}
              {chosen === "numbers" && <NumberPatterns row={n.numbers} />}
              {chosen === "partners" && <Partners rows={n.partners} />}
              {chosen === "settings" && <Settled own={n.own} settings={n.settings} />}
            </>
          )}
        </Loading>
      )}
    </div>
  );
}
