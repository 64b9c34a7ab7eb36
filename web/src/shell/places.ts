/** The places there are, in the groups of the rail. A place that does not exist yet is not here. */
export interface PlaceInfo {
  path:
    | "/"
    | "/desk"
    | "/returns"
    | "/patrons"
    | "/rosters"
    | "/money"
    | "/holds"
    | "/fetch"
    | "/courier"
    | "/interlibrary"
    | "/notices"
    | "/rulebook"
    | "/calendars"
    | "/changes"
    | "/items"
    | "/network";
  name: string;
  key: string;
  roles?: string[];
  /** Who takes what is scanned there; left out: the house, which looks what it is and goes where it belongs. */
  takes?: string;
}

const employed = ["administrator", "supervisor", "interlibrary", "desk"];

export const groups: { name: string; places: PlaceInfo[] }[] = [
  { name: "", places: [{ path: "/", name: "Today", key: "t" }] },
  {
    name: "Counter",
    places: [
      { path: "/desk", takes: "desk", name: "Desk", key: "d" },
      { path: "/returns", takes: "returns", name: "Returns", key: "r" },
      { path: "/patrons", name: "Patrons", key: "p", roles: employed },
      { path: "/rosters", takes: "rosters", name: "Rosters", key: "s", roles: employed },
      { path: "/money", name: "Money", key: "m", roles: employed },
    ],
  },
  {
    name: "Holds and transit",
    places: [
      { path: "/holds", takes: "in-hand", name: "Holds", key: "h" },
      { path: "/fetch", takes: "in-hand", name: "Fetch list", key: "f" },
      { path: "/courier", takes: "in-hand", name: "Courier", key: "c" },
      {
        path: "/interlibrary",
        takes: "interlibrary",
        name: "Interlibrary",
        key: "l",
        roles: ["administrator", "supervisor", "interlibrary"],
      },
    ],
  },
  { name: "Messages", places: [{ path: "/notices", name: "Notices", key: "n", roles: employed }] },
  {
    name: "Policy",
    places: [
      { path: "/rulebook", name: "Rulebook", key: "b" },
      { path: "/calendars", name: "Calendars", key: "e" },
      { path: "/changes", name: "Batch changes", key: "a", roles: ["administrator", "supervisor"] },
      { path: "/network", name: "Network", key: "o", roles: ["administrator", "supervisor"] },
    ],
  },
  { name: "Stock", places: [{ path: "/items", takes: "items", name: "Items", key: "i" }] },
];

/** Who takes a scan that is made at a path. It is known before the place itself has loaded. */
export const takerOf = (path: string) => groups.flatMap((g) => g.places).find((p) => p.path === path)?.takes ?? "house";

/** May write: what a role may not do is not offered to it. */
/** Who asks libraries outside. */
export const asksOutside = (role: string) => role === "interlibrary" || supervises(role);
export const supervises = (role: string) => role === "supervisor" || role === "administrator";
export const administrates = (role: string) => role === "administrator";
export const isEmployed = (role: string) => employed.includes(role);

export const placesFor = (role: string) =>
  groups.flatMap((g) => g.places).filter((p) => !p.roles || p.roles.includes(role));
