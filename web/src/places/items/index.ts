/** What other places use of the items. */
export { What } from "./ChangeThem";
export { TakeBack } from "./Deeds";
export { useAgain } from "./stock";
