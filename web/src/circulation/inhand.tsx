import { Link, useRouterState } from "@tanstack/react-router";
import { PadBar } from "./pad/bar";
import { Code, Tag } from "../ui/parts";
import { PrintSlip } from "./print";
import { usePrompt } from "../shell/scan";
import { takenOf } from "./taken";
import { ScanActs, sayState } from "../shell/scans/lines";
import { add, useScans, type Scan } from "../shell/scans/scans";
import { SignPanel, SignTag } from "./sign";
import { Why } from "../shell/why";

/** How many lines are shown before there is more to unfold. */
const newest = 6;

/** Scans of items in hand that are not on loan, by label or from the pad: the sign of the newest, and the tape here. */
export function InHand({ prompt }: { prompt: string }) {
  const path = useRouterState({ select: (s) => s.location.pathname });
  usePrompt(prompt);
  return (
    <div className="grid gap-3.5 empty:hidden print:hidden">
      <PadBar taker="in-hand" ready />
      <Scanned lines={useScans("in-hand", path)} />
    </div>
  );
}

function Scanned({ lines }: { lines: Scan[] }) {
  const answered = lines.find((s) => takenOf(s));
  const last = answered && takenOf(answered);
  if (lines.length === 0) return null;
  return (
    <section aria-label="Scanned here" className="grid gap-1.5">
      {last && answered && (
        <SignPanel key={answered.id} sign={last.sign} title={last.title} code={last.ok ? last.barcode : undefined} />
      )}
      <ul className="grid gap-1 text-sm">
        {lines.slice(0, newest).map((s) => (
          <Line key={s.id} scan={s} slip={s === answered} />
        ))}
      </ul>
      {lines.length > newest && (
        <details className="text-sm">
          <summary className="cursor-pointer text-ink-2">{lines.length - newest} earlier</summary>
          <ul className="mt-1 grid gap-1">
            {lines.slice(newest).map((s) => (
              <Line key={s.id} scan={s} slip={false} />
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

function Line({ scan, slip }: { scan: Scan; slip: boolean }) {
  const taken = takenOf(scan);
  if (!taken)
    return (
      <li className="flex flex-wrap items-center gap-x-3">
        <Tag tone={scan.state === "wrong" ? "buoy" : "plain"}>{scan.state === "wrong" ? "Not accepted" : "…"}</Tag>
        <Code>{scan.text}</Code> <span className="text-ink-2">{sayState(scan)}</span> <ScanActs scan={scan} />
      </li>
    );
  return (
    <li className="flex flex-wrap items-center gap-x-3">
      <SignTag sign={taken.sign} /> <b className="font-semibold">{taken.title}</b>
      {!taken.ok && <span className="text-buoy-700">{taken.text}</span>}
      <Why trace={taken.why}>Why</Why>
      {taken.sign.hold_id && <PrintSlip of={{ kind: "hold", id: taken.sign.hold_id }} byItself={slip} />}
      {taken.tote && (
        <Link to="/courier" search={{ tab: "totes", tote: taken.tote }} className="link">
          Show contents
        </Link>
      )}
      {!taken.ok && taken.meant === "card" && (
        <Link to="/desk" onClick={() => add("desk", scan.text)} className="link">
          Open patron at the Desk
        </Link>
      )}
      {!taken.ok && taken.meant === "words" && (
        <Link to="/items" search={{ words: scan.text }} className="link">
          Find under Items
        </Link>
      )}
      {!taken.ok && <ScanActs scan={scan} />}
    </li>
  );
}
