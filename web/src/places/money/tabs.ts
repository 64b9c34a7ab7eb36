/** The tabs of the place, in their order. */
export const moneyTabs = [
  ["till", "Till"],
  ["receipts", "Receipts"],
  ["back", "Refunds due"],
  ["disputes", "Disputes"],
  ["invoices", "Invoices"],
  ["figures", "Income"],
] as const;
