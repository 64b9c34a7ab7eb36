import { Quiet } from "../../ui/parts";
import { again, drop, open, strike, type Scan } from "./scans";

/** How a scan stands, in words, until what became of it says more. */
export function sayState(s: Scan): string {
  switch (s.state) {
    case "waits":
      return "Waiting for the scan before it";
    case "sent":
      return "Looking it up …";
    case "unknown":
      return "No answer yet, asking again …";
    default:
      return s.says;
  }
}

/** What can be done about a scan that waits, or that failed. */
export function ScanActs({ scan: s }: { scan: Scan }) {
  const answered = !open(s);
  return (
    <span className="flex gap-3">
      {s.state === "waits" && <Quiet onClick={() => strike(s.id)}>Remove</Quiet>}
      {s.state === "unknown" && <Quiet onClick={() => strike(s.id)}>Stop asking</Quiet>}
      {s.state === "wrong" && <Quiet onClick={() => again(s.id)}>Retry</Quiet>}
      {answered && <Quiet onClick={() => drop((x) => x.id === s.id)}>Remove</Quiet>}
    </span>
  );
}
