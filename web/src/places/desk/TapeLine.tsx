import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import type { KeyboardEvent } from "react";
import { Code, Quiet, Tag, type Tone } from "../../ui/parts";
import { sayMoney } from "../../ui/say";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { open, type Scan } from "../../shell/scans/scans";
import { SignTag } from "../../circulation/sign";
import { useDoing } from "../../shell/write";
import { Trouble } from "../../ui/parts";
import { Why } from "../../shell/why";
import { dropStaged, lineOf, titleOf, undo, type Line, type Result, type Took } from "./session";

const words: Record<Result["kind"], [Tone, string]> = {
  card: ["plain", "Card"],
  lent: ["spruce", "Lent"],
  ask: ["amber", "Needs an answer"],
  refused: ["buoy", "Not lent"],
  wrong: ["buoy", "Not accepted"],
  found: ["plain", "Found"],
  staged: ["amber", "To review"],
  several: ["plain", "Several matches"],
};

function tagOf(scan: Scan, line?: Line): [Tone, string] {
  if (open(scan)) return scan.state === "unknown" ? ["amber", "No answer yet"] : ["plain", "…"];
  if (!line) return ["buoy", "Not accepted"];
  if (line.undone) return ["plain", "Undone"];
  return line.result.filled ? ["tide", "From hold shelf"] : words[line.result.kind];
}

/** What stands in a line only while it is looked at: under the pointer, selected, or where there is no pointer that hovers. */
const later = clsx(
  "flex items-baseline gap-2 text-sm hover-only:absolute hover-only:right-3.5 hover-only:bottom-1.5 hover-only:rounded",
  "hover-only:bg-surface hover-only:pl-2 hover-only:opacity-0",
  "group-hover:opacity-100 group-focus:opacity-100 group-focus-within:opacity-100",
);

/** The keys of the selected line: w shows its why, Delete undoes it, arrows go to the next. No letter undoes: a label may begin with it. */
function onKey(e: KeyboardEvent<HTMLElement>) {
  if (e.target !== e.currentTarget) return;
  const line = e.currentTarget;
  const press = (what: string) => line.querySelector<HTMLElement>(what)?.click();
  const walk = (to: Element | null) => to instanceof HTMLElement && to.focus();
  if (e.key === "w") press("[data-why]");
  else if (e.key === "Delete") press("[data-undo]");
  else if (e.key === "ArrowDown") walk(line.nextElementSibling);
  else if (e.key === "ArrowUp") walk(line.previousElementSibling);
  else return;
  e.preventDefault();
}

/** One scan of the desk: what became of it, whose it is, its why, and what can be done about it. */
export function TapeLine({ scan, patron }: { scan: Scan; patron?: number }) {
  const line = lineOf(scan);
  const waits = open(scan);
  const [tone, word] = tagOf(scan, line);
  const lent = !waits && line?.result.kind === "lent" ? line.result.line : undefined;
  const stages = !waits && line?.result.kind === "staged";
  const doing = useDoing(lent ? `undo ${lent.loan_id}` : "");
  return (
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- its links have keys while it is selected
    <li
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- a line is walked to by arrows
      tabIndex={0}
      data-keys="w"
      onKeyDown={onKey}
      className={clsx(
        "group relative px-3.5 py-2 outline-offset-[-2px]",
        scan.state === "ask" && "slant-soft",
        line?.undone && "opacity-60",
      )}
    >
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <p className={clsx("text-base font-semibold", line?.undone && "line-through")}>{titleOf(scan)}</p>
          <div className="text-sm text-ink-2">
            {stages && line.result.line ? (
              <Lent line={line.result.line} />
            ) : lent ? (
              <Lent line={lent} />
            ) : (
              <Other scan={scan} line={line} patron={patron} />
            )}
            {line && lent && scan.given.fetch === true && <b className="font-semibold"> {line.result.text}</b>}
            {line?.whose && line.patron !== patron && <b className="font-semibold"> for {line.whose}</b>}
          </div>
          {line && !line.undone && !waits && (
            <p className="text-sm text-amber-700">
              {[line.result.before, line.result.waiting].filter(Boolean).join(" ")}
            </p>
          )}
          {line?.took && !waits && <TakenBack took={line.took} lent={lent !== undefined && !line.undone} />}
          <Trouble error={doing.problem} />
        </div>
        <div className="flex flex-none flex-col items-end gap-1 text-sm">
          <Tag tone={tone}>{word}</Tag>
          {stages && (
            <Quiet data-undo onClick={() => dropStaged(scan)}>
              Remove
            </Quiet>
          )}
          {(waits || scan.state === "wrong") && <ScanActs scan={scan} />}
        </div>
      </div>
      {(lent || stages) && !line?.undone && (
        <p className={later}>
          <Why trace={line?.result.why}>Why {line?.result.line?.period}</Why>
          {lent && (
            <Quiet data-undo disabled={doing.busy} onClick={() => void undo(scan)}>
              Undo
            </Quiet>
          )}
        </p>
      )}
    </li>
  );
}

/** From whom it was returned first; what was not lent then has to go where it belongs. */
function TakenBack({ took, lent }: { took: Took; lent: boolean }) {
  return (
    <p className="flex flex-wrap items-baseline gap-x-2 text-sm text-amber-700">
      <span>
        Returned from {took.from}
        {took.fine && `, ${sayMoney(took.fine)} charged to their account`}.
      </span>
      {!lent && <SignTag sign={took.sign} />}
    </p>
  );
}

function Lent({ line }: { line: NonNullable<Result["line"]> }) {
  return (
    <>
      Due{" "}
      <b className="font-semibold text-ink" title={line.due_exact}>
        {line.due}
      </b>{" "}
      · <Code>{line.barcode}</Code> · {line.owner}
      {line.call_number && `, ${line.call_number}`} · {line.material}
      {line.price && <span className="tabular-nums"> · {sayMoney(line.price)}</span>}
    </>
  );
}

function Other({ scan, line, patron }: { scan: Scan; line?: Line; patron?: number }) {
  const r = open(scan) ? undefined : line?.result;
  return (
    <>
      <span className={scan.state === "wrong" ? "text-buoy-700" : ""}>{sayState(scan) || r?.text}</span>{" "}
      <Why trace={r?.why}>Why</Why>{" "}
      {r?.why && r.item && patron && (
        <Link to="/rulebook" search={{ item: r.item.id, patron }} className="link">
          Loan terms
        </Link>
      )}
    </>
  );
}
