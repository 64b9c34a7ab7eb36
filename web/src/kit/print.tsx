import { useEffect, useState } from "react";
import { fetched } from "../api/client";
import { Quiet, Trouble } from "./parts";
import { slipsPrint } from "./settings";

// What has printed by itself in this window; a slip that was looked at again does not come out again.
const printed = new Set<number>();

/** Puts a paper of the server's on the printer, without leaving the place. */
export async function print(path: string) {
  const answer = await fetched(path);
  const address = URL.createObjectURL(await answer.blob());
  const frame = document.createElement("iframe");
  frame.title = "Paper to be printed";
  frame.tabIndex = -1;
  frame.setAttribute("aria-hidden", "true");
  frame.className = "fixed size-0 border-0";
  const gone = () => {
    frame.remove();
    URL.revokeObjectURL(address);
  };
  await new Promise<void>((loaded) => {
    frame.onload = () => loaded();
    frame.src = address;
    document.body.append(frame);
  });
  frame.contentWindow?.addEventListener("afterprint", gone);
  frame.contentWindow?.print();
  window.setTimeout(gone, 60_000);
}

/** Prints the slip of a hold; by itself where the station is set so. */
export function PrintSlip({ hold, byItself }: { hold: number; byItself?: boolean }) {
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const now = () => {
    setBusy(true);
    setError(undefined);
    void print(`/api/slips/hold/${hold}`)
      .catch(setError)
      .finally(() => setBusy(false));
  };
  useEffect(() => {
    if (!byItself || !slipsPrint() || printed.has(hold)) return;
    printed.add(hold);
    void print(`/api/slips/hold/${hold}`).catch(setError);
  }, [byItself, hold]);
  return (
    <>
      <Quiet disabled={busy} onClick={now}>
        Print slip
      </Quiet>
      <Trouble error={error} />
    </>
  );
}
