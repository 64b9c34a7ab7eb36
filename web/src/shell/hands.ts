import { fetched } from "../api/client";
import { line } from "./line";

/** While somebody works, the server is told at most this often, in milliseconds; a shared station asks who is there after a rest. */
const every = 120_000;

/** Tells the server that a hand is on this station. Lists that refresh by themselves are no hand. */
export function handsOn() {
  let told = 0;
  const hand = () => {
    if (Date.now() - told < every || line.getState().signedOut) return;
    told = Date.now();
    fetched("/api/hand-on", {}).catch(() => {
      told = 0;
    });
  };
  window.addEventListener("keydown", hand, true);
  window.addEventListener("pointerdown", hand, true);
  return () => {
    window.removeEventListener("keydown", hand, true);
    window.removeEventListener("pointerdown", hand, true);
  };
}
