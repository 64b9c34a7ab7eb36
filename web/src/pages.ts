import { kinds } from "./places/changes/kinds";
import { courierTabs } from "./places/courier/tabs";
import { holdsTabs } from "./places/holds/tabs";
import { itemsTabs } from "./places/items/tabs";
import { moneyTabs } from "./places/money/tabs";
import { settingsSections } from "./places/network/settings/sections";
import { administratorsParts, networkGroups } from "./places/network/tabs";
import { rostersTabs } from "./places/rosters/tabs";
import { rulebookTabs, supervisorsTabs } from "./places/rulebook/tabs";
import { guidePages } from "./shell/guide";
import { administrates, isEmployed, placesFor, supervises, type PlaceInfo } from "./shell/places";
import { offerPages, type Page } from "./shell/palette";

type To = Page["to"];

/** The pages within the places that a role opens, for the palette: tabs, parts of the network, sections of its settings, help. */
export function pagesFor(role: string): Page[] {
  const opens = new Set<string>(placesFor(role).map((p) => p.path));
  const tabs = (
    place: string,
    to: PlaceInfo["path"],
    parts: readonly (readonly [id: string, name: string])[],
  ): Page[] =>
    opens.has(to) ? parts.map(([tab, name]) => ({ name: `${place}: ${name}`, to: to as To, search: { tab } })) : [];
  const staff = isEmployed(role);
  return [
    ...(staff ? tabs("Holds", "/holds", holdsTabs) : []),
    ...(staff ? tabs("Items", "/items", itemsTabs) : []),
    ...tabs("Money", "/money", moneyTabs),
    ...tabs("Rosters", "/rosters", rostersTabs),
    ...tabs("Courier", "/courier", courierTabs).filter((p) => supervises(role) || p.search?.tab !== "whatif"),
    ...tabs(
      "Rulebook",
      "/rulebook",
      rulebookTabs.filter(([id]) => supervises(role) || !supervisorsTabs.includes(id)),
    ),
    ...networkGroups.flatMap((g) =>
      tabs(
        "Network",
        "/network",
        g.parts.filter(([id]) => administrates(role) || !administratorsParts.includes(id)),
      ),
    ),
    ...(opens.has("/network")
      ? settingsSections.map(([section, name]) => ({
          name: `Settings: ${name}`,
          to: "/network" as const,
          search: { tab: "settings", section },
        }))
      : []),
    ...tabs("Batch changes", "/changes", kinds),
    ...(opens.has("/patrons")
      ? [
          { name: "Patrons: Register somebody", to: "/patrons" as const, search: { form: "new" } },
          { name: "Patrons: Sign-ups", to: "/patrons" as const, search: { tab: "sign-ups" } },
        ]
      : []),
    ...guidePages.map(([page, name]) => ({ name: `Help: ${name}`, to: "/help" as const, search: { page } })),
  ];
}

offerPages(pagesFor);
