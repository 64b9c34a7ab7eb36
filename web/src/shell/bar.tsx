import { Link } from "@tanstack/react-router";
import { plural, sayCount } from "../ui/say";
import { useStore } from "zustand";
import { behind, settleLeft, trouble } from "./house";
import { line } from "./line";
import { who } from "./me";
import { Code, Quiet } from "../ui/parts";
import { foundOf } from "./scans/house";
import { ScanActs, sayState } from "./scans/lines";
import { drop, useOthers, useScans, useWaiting } from "./scans/scans";
import { useUnknown } from "./write";

/** So many scans are shown at once, the newest; the place stays in sight. */
const most = 3;

/** Below the strip: what is the matter with the line, and what nobody knows the end of yet. Absent when all is well. */
export function Bar() {
  const { lost, busy, changesLate, signedOut } = useStore(line);
  const role = useStore(who, (w) => w.me?.role);
  const faults = useStore(who, (w) => w.me?.faults) ?? [];
  const waiting = useWaiting();
  const unknown = useUnknown();
  const others = useOthers();
  const scanned = useScans("house");
  const left = useStore(behind, (b) => b.scans.length);
  const { error } = useStore(trouble);
  return (
    <div className="grid empty:hidden print:hidden">
      {error instanceof Error && (
        <p role="alert" className="flex flex-wrap gap-x-4 bg-buoy-100 px-[18px] py-1.5 text-buoy-700">
          {error.message} <Quiet onClick={() => trouble.setState({ error: undefined })}>Dismiss</Quiet>
        </p>
      )}
      {lost && !signedOut && (
        <p role="alert" className="bg-buoy-100 px-[18px] py-1.5 text-buoy-700">
          <b className="font-semibold">Connection lost. Reconnecting …</b> You can keep scanning: scans are saved and
          sent when the connection is back{waiting > 0 && `. ${sayCount(waiting, "waits", "wait")} now`}.
        </p>
      )}
      {busy && !lost && !signedOut && (
        <p role="status" className="bg-amber-100 px-[18px] py-1.5 text-amber-700">
          <b className="font-semibold">The server is not answering.</b> Your scans and changes are kept and sent again.
        </p>
      )}
      {changesLate && !lost && !signedOut && (
        <p role="status" className="bg-amber-100 px-[18px] py-1.5 text-amber-700">
          <b className="font-semibold">Changes made at other stations arrive late.</b> Your scans and changes are saved
          as usual.
          {role === "administrator" && " A proxy is buffering /api/live. Turn off buffering for that path."}
        </p>
      )}
      {faults.map((f) => (
        <p key={f.part} role="status" className="bg-buoy-100 px-[18px] py-1.5 text-buoy-700">
          <b className="font-semibold">{f.part} cannot be read as stored.</b> {f.says}
        </p>
      ))}
      {left > 0 && (
        <p role="alert" className="flex flex-wrap gap-x-4 bg-amber-100 px-[18px] py-1.5 text-amber-700">
          {sayCount(left, "scan")} of a window that was closed {plural(left, "is", "are")} not answered.
          <Quiet onClick={() => settleLeft(true)}>Send {plural(left, "it", "them")}</Quiet>
          <Quiet onClick={() => settleLeft(false)}>Discard {plural(left, "it", "them")}</Quiet>
        </p>
      )}
      {others > 0 && (
        <p role="status" className="bg-amber-100 px-[18px] py-1.5 text-amber-700">
          {sayCount(others, "scan")} of whoever was signed in here before {plural(others, "is", "are")} not answered.
          They are sent when that person signs in here again.
        </p>
      )}
      {unknown.map((w) => (
        <p key={w.key} role="status" className="flex flex-wrap gap-x-4 bg-amber-100 px-[18px] py-1.5 text-amber-700">
          {w.about}: we do not know yet whether it was done, asking again …<Quiet onClick={w.stop}>Stop asking</Quiet>
        </p>
      ))}
      {scanned.length > most && (
        <p className="border-b border-line bg-surface px-[18px] py-1.5 text-ink-2">
          {scanned.length - most} more, scanned before these
        </p>
      )}
      {scanned.slice(0, most).map((s) => {
        const found = foundOf(s);
        return (
          <div
            key={s.id}
            role={s.state === "wrong" ? "alert" : "status"}
            className="flex flex-wrap items-baseline gap-x-4 border-b border-line bg-surface px-[18px] py-1.5"
          >
            <Code>{s.text}</Code>
            <span className={s.state === "wrong" ? "text-buoy-700" : "text-ink-2"}>
              {s.state === "done" ? "Found:" : sayState(s)}
            </span>
            {found?.item !== undefined && (
              <Link
                to="/items"
                search={{ item: found.item }}
                className="link"
                onClick={() => drop((x) => x.id === s.id)}
              >
                Show item
              </Link>
            )}
            {found?.words && (
              <Link
                to="/items"
                search={{ words: found.words }}
                className="link"
                onClick={() => drop((x) => x.id === s.id)}
              >
                Show titles
              </Link>
            )}
            <ScanActs scan={s} />
          </div>
        );
      })}
    </div>
  );
}
