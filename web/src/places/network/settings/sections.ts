/** The sections of the settings, in their order. */
export const settingsSections = [
  ["network-name", "Network name"],
  ["dates", "Dates and times"],
  ["sign-in", "Stations and sign-in"],
  ["limits", "Limits for staff"],
  ["patron-form", "Patron form"],
  ["online", "Patrons online"],
  ["lending", "Lending"],
  ["returns", "Returns"],
  ["holds", "Holds and transit"],
  ["interlibrary", "Interlibrary"],
  ["money", "Money"],
  ["email", "Messages"],
  ["records", "Title records"],
  ["retention", "How long data is kept"],
] as const;
