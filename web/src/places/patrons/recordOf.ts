import { api, told } from "../../api/client";

/** The question for a record as it is written, with the household; each time anew. */
export const recordOf = (id: number | undefined) => ({
  queryKey: ["record", id],
  enabled: id !== undefined,
  staleTime: 0,
  queryFn: () => told(api.GET("/api/patrons/{id}/record", { params: { path: { id: id ?? 0 } } })),
});
