import type { Schema } from "../../api/client";

export type Edition = Schema["RulesEdition"];
export type Overview = Schema["RulesOverview"];
export type Value = Schema["RulesValue"];
export type Term = Schema["RulebookTermInfo"];
export type Cell = Schema["RulesCell"];

/** What every tab of the rulebook works on. */
export interface Working {
  book: Overview;
  edition: Edition;
  /** The edition, if it is a draft and may be changed here. */
  draft?: Edition;
  now: Edition;
  supervising: boolean;
}

/** The dimensions of a scope, by their codes. */
export const dimensionNames = {
  lending_branch: "lending branch",
  home_branch: "home branch",
  collection: "collection",
  material_class: "material class",
  patron_class: "patron class",
} as const;
export type Dimension = keyof typeof dimensionNames;
export const dimensions = Object.keys(dimensionNames) as Dimension[];
export const sayDimension = (code: string) => dimensionNames[code as Dimension] ?? code.replaceAll("_", " ");

export const capital = (text: string) => text.slice(0, 1).toUpperCase() + text.slice(1);

/** The values of a dimension. */
export const valuesOf = (book: Overview, dimension: string): Value[] =>
  (book.dimensions as Record<string, Value[] | undefined>)[dimension] ?? [];
export const optionsOf = (book: Overview, dimension: string) =>
  valuesOf(book, dimension).map((v) => [v.code, v.name] as const);

/** A value of a file format as a text; nothing where there is none. */
export const textOf = (v: unknown): string =>
  typeof v === "string" || typeof v === "number" || typeof v === "boolean" ? String(v) : "";
