/** The tabs of the place, in their order. */
export const noticesTabs = [
  ["runs", "Runs"],
  ["open", "Not sent"],
  ["calls", "Calls"],
  ["letters", "Letters"],
  ["plans", "Plans"],
  ["wordings", "Wordings"],
] as const;
