import clsx from "clsx";
import { useEffect, useState, type ReactNode } from "react";
import { flushSync } from "react-dom";
import { createRoot } from "react-dom/client";
import { api, told, type Schema } from "../api/client";
import { Quiet, Trouble } from "../ui/parts";
import { paper, slipsPrint } from "../shell/settings";

type SlipOf = Schema["SlipsSlip"];
type Row = Schema["SlipRow"];

/** What a slip is of: a hold, what was lent to a patron or brought back in a run, a receipt, a till. */
export interface SlipAsked {
  kind: "hold" | "line" | "tote" | "lent" | "back" | "receipt" | "till";
  id: number;
  patron?: number;
  since?: string;
}

// What has printed by itself in this window; a slip that was looked at again does not come out again.
const printed = new Set<string>();

const pages: Record<string, string> = {
  "80mm": "size: 80mm 110mm; margin: 4mm;",
  "58mm": "size: 58mm 110mm; margin: 3mm;",
  a4: "size: A4; margin: 20mm;",
  letter: "size: letter; margin: 20mm;",
};

const sizes: Record<Row["size"], string> = {
  small: "text-[8pt]",
  normal: "text-[10.5pt]",
  large: "text-[13pt]",
  huge: "text-[30pt] leading-tight break-words",
};

/** A slip, as wide as the station's paper, as it stands on its paper and nowhere else. */
function Slip({ slip }: { slip: SlipOf }) {
  return (
    <div role="document" aria-label={slip.title}>
      <style>{`@page { ${pages[paper()] ?? pages["80mm"]} }`}</style>
      {slip.rows.map((r, k) => (
        <SlipRow key={k} row={r} />
      ))}
    </div>
  );
}

function SlipRow({ row: r }: { row: Row }) {
  if (r.rule) return <hr className="my-1.5 border-black" />;
  if (r.number)
    return (
      <>
        <svg
          role="img"
          aria-label={r.number}
          viewBox={`0 0 ${r.bars.length} 24`}
          preserveAspectRatio="none"
          className="mt-2 h-[14mm] w-full"
        >
          {[...r.bars.matchAll(/1+/g)].map((b) => (
            <rect key={b.index} x={b.index} y={0} width={b[0].length} height={24} fill="#000" />
          ))}
        </svg>
        <p className="text-center font-mono text-[11pt]">{r.number}</p>
      </>
    );
  return (
    <p className={clsx("flex justify-between gap-2", sizes[r.size], r.bold && "font-bold")}>
      <span className="min-w-0">{r.text}</span>
      {r.right && <span className="whitespace-nowrap tabular-nums">{r.right}</span>}
    </p>
  );
}

/** A large page, of the sort that the station has. */
export function LargePage({ margin }: { margin: string }) {
  return <style>{`@page { size: ${paper() === "letter" ? "letter" : "A4"}; margin: ${margin}; }`}</style>;
}

/** Puts something on the printer that stands on no screen, without leaving the place. */
export function onPaper(what: ReactNode) {
  const paper = document.createElement("div");
  paper.className = "paper";
  document.body.append(paper);
  const root = createRoot(paper);
  flushSync(() => root.render(what));
  document.documentElement.dataset.paper = "slip";
  try {
    window.print(); // goes on when the paper is on its way
  } finally {
    delete document.documentElement.dataset.paper;
    root.unmount();
    paper.remove();
  }
}

/** Puts a slip on the printer. */
export async function printSlip({ kind, id, patron, since }: SlipAsked) {
  const slip = await told(
    api.GET("/api/slips/{kind}/{id}", { params: { path: { kind, id }, query: { patron, since } } }),
  );
  onPaper(<Slip slip={slip} />);
}

/** Prints a slip; by itself where the station is set so. */
export function PrintSlip({
  of,
  byItself,
  children = "Print slip",
}: {
  of: SlipAsked;
  byItself?: boolean;
  children?: ReactNode;
}) {
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const { kind, id, patron, since } = of;
  const now = () => {
    setBusy(true);
    setError(undefined);
    void printSlip(of)
      .catch(setError)
      .finally(() => setBusy(false));
  };
  useEffect(() => {
    const name = `${kind} ${id} ${patron ?? ""}`;
    if (!byItself || !slipsPrint() || printed.has(name)) return;
    printed.add(name);
    void printSlip({ kind, id, patron, since }).catch(setError);
  }, [byItself, kind, id, patron, since]);
  return (
    <>
      <Quiet disabled={busy} onClick={now}>
        {children}
      </Quiet>
      <Trouble error={error} />
    </>
  );
}
