import { useNavigate, useSearch } from "@tanstack/react-router";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Head, Sections } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { Branches } from "./Branches";
import { Changes } from "./Changes";
import { Choices } from "./Choices";
import { Classes } from "./Classes";
import { Files } from "./Files";
import { MovingIn } from "./intake/MovingIn";
import { NumberPatterns } from "./Numbers";
import { Partners } from "./Partners";
import { useNetwork } from "./parts";
import { AccessLog } from "./AccessLog";
import { Settings } from "./settings/Settings";
import { Staff } from "./Staff";
import { Stations } from "./Stations";
import { Status } from "./Status";
import { administratorsParts, networkGroups } from "./tabs";

/** What the network is made of, who works here, and who has done what with it. */
export function NetworkPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const network = useNetwork();
  const { tab, patron, staff, file, section } = useSearch({ from: "/network" });
  const offered = networkGroups
    .map((g) => ({
      name: g.name,
      parts: g.parts.filter(([id]) => !administratorsParts.includes(id) || administrates(me.role)),
    }))
    .filter((g) => g.parts.length > 0);
  const chosen = offered.flatMap((g) => g.parts).find(([id]) => id === tab)?.[0] ?? "branches";
  return (
    <div className="grid gap-3.5">
      <Head
        title="Network"
        says={
          administrates(me.role)
            ? "Branches, staff, settings, import and export."
            : "Branches, classes and settings. Administrators change them."
        }
      />
      <div className="grid items-start gap-4 md:grid-cols-[11rem_minmax(0,1fr)]">
        <Sections
          label="Network"
          groups={offered}
          chosen={chosen}
          onChoose={(id) => void navigate({ to: "/network", search: { tab: id } })}
        />
        <div className="grid min-w-0 gap-3.5">
          {chosen === "staff" && <Staff />}
          {chosen === "status" && <Status />}
          {chosen === "history" && <Changes />}
          {chosen === "moving" && <MovingIn file={file} />}
          {chosen === "files" && <Files />}
          {chosen === "readings" && <AccessLog patron={patron} staff={staff} />}
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
                  {chosen === "settings" && (
                    <Settings own={n.own} settings={n.settings} usual={n.usual} section={section} />
                  )}
                </>
              )}
            </Loading>
          )}
        </div>
      </div>
    </div>
  );
}
