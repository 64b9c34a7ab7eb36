import { useQuery } from "@tanstack/react-query";
import { api, told } from "../api/client";
import { useMe } from "../shell/me";

export type Options = readonly (readonly [string, string])[];

/** What there is to choose from: the classes that are in use. */
export function useClasses() {
  const me = useMe();
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const of = (dimension: string): Options =>
    (book.data?.dimensions[dimension] ?? []).map((v) => [v.code, v.name] as const);
  return {
    ready: !!book.data,
    error: book.error,
    collections: of("collection"),
    materials: of("material_class").filter(([code]) => code !== "interlibrary"),
    patrons: of("patron_class"),
    branches: me.branches.map((b) => [b.code, b.name] as const) as Options,
  };
}
