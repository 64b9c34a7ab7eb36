import { api, told } from "../../api/client";

const ask = (id: number | undefined) => () =>
  told(api.GET("/api/patrons/{id}/record", { params: { path: { id: id ?? 0 } } }));

/** The question for a record as it is written, with the household; each time anew. */
export const recordOf = (id: number | undefined) => ({
  queryKey: ["record", id] as const,
  enabled: id !== undefined,
  staleTime: 0,
  queryFn: ask(id),
});

/** The same for a form: as it is when the form opens, and not again while somebody writes. */
export const recordToChange = (id: number) => ({
  queryKey: ["record to change", id] as const,
  staleTime: Infinity,
  gcTime: 0,
  queryFn: ask(id),
});
