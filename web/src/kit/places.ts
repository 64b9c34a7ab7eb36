/** The places there are, in the groups of the rail. A place that does not exist yet is not here. */
export interface PlaceInfo {
  path:
    | "/"
    | "/desk"
    | "/returns"
    | "/patrons"
    | "/holds"
    | "/fetch"
    | "/courier"
    | "/interlibrary"
    | "/notices"
    | "/rulebook"
    | "/calendars"
    | "/items";
  name: string;
  key: string;
  roles?: string[];
}

const employed = ["administrator", "supervisor", "interlibrary", "desk"];

export const groups: { name: string; places: PlaceInfo[] }[] = [
  { name: "", places: [{ path: "/", name: "Today", key: "t" }] },
  {
    name: "Counter",
    places: [
      { path: "/desk", name: "Desk", key: "d" },
      { path: "/returns", name: "Returns", key: "r" },
      { path: "/patrons", name: "Patrons", key: "p" },
    ],
  },
  {
    name: "Moving",
    places: [
      { path: "/holds", name: "Holds", key: "h" },
      { path: "/fetch", name: "Fetch list", key: "f" },
      { path: "/courier", name: "Courier", key: "c" },
      {
        path: "/interlibrary",
        name: "Interlibrary",
        key: "l",
        roles: ["administrator", "supervisor", "interlibrary"],
      },
    ],
  },
  { name: "Telling", places: [{ path: "/notices", name: "Notices", key: "n", roles: employed }] },
  {
    name: "Setting",
    places: [
      { path: "/rulebook", name: "Rulebook", key: "b" },
      { path: "/calendars", name: "Calendars", key: "e" },
    ],
  },
  { name: "Knowing", places: [{ path: "/items", name: "Items", key: "i" }] },
];

export const placesFor = (role: string) =>
  groups.flatMap((g) => g.places).filter((p) => !p.roles || p.roles.includes(role));
