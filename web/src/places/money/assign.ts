import { api, keyed, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";

/** Puts receipts into a till, or takes them out of it again. */
export const useAssign = (done: (body: Schema["AccountsAssigning"], till: number) => void) =>
  useWrite(
    ({ till, body }: { till: number; body: Schema["AccountsAssigning"] }, key) =>
      api.POST("/api/tills/{id}/receipts", { params: { path: { id: till }, header: keyed(key) }, body }),
    { name: "assign receipts", about: "Receipts of a till", done: (_, { till, body }) => done(body, till) },
  );
