import type { Schema } from "../../api/client";

/** Means of payment as people say them. */
export const means: Record<Schema["AccountsReceipt"]["means"], string> = {
  cash: "Cash",
  card: "Card",
  cheque: "Cheque",
  transfer: "Transfer",
};

export const waysOut = Object.entries(means);
