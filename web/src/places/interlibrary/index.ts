/** What other places use of interlibrary loans. */
export { outside } from "./session";
