/** The tabs of the place, in their order. */
export const noticesTabs = [
  ["runs", "Runs"],
  ["open", "Not sent"],
  ["plans", "Plans"],
  ["wordings", "Wordings"],
] as const;
