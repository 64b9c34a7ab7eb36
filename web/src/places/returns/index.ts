/** What other places use of returns. */
export { changed, openRun } from "./session";
