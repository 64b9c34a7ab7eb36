/** Its parts, by what they are about. */
export const networkGroups = [
  {
    name: "Places and people",
    parts: [
      ["branches", "Branches"],
      ["stations", "Stations"],
      ["staff", "Staff"],
    ],
  },
  {
    name: "Rules and lists",
    parts: [
      ["settings", "Settings"],
      ["classes", "Classes"],
      ["lists", "Lists and reasons"],
      ["numbers", "Numbers"],
    ],
  },
  { name: "Other libraries", parts: [["partners", "Partners"]] },
  {
    name: "Data",
    parts: [
      ["moving", "Import"],
      ["files", "Export"],
    ],
  },
  {
    name: "What happened",
    parts: [
      ["status", "Status"],
      ["history", "Change log"],
      ["readings", "Record access log"],
    ],
  },
] as const;

/** Parts that only administrators open. */
export const administratorsParts = ["staff", "status", "moving", "files"];
