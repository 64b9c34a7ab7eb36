import { useEffect, useState, type ReactNode } from "react";
import { flushSync } from "react-dom";
import { createRoot } from "react-dom/client";
import { api, told, type Schema } from "../api/client";
import { Quiet, Trouble } from "./parts";
import { paper, slipsPrint } from "./settings";

type SlipOf = Schema["Slip"];

// What has printed by itself in this window; a slip that was looked at again does not come out again.
const printed = new Set<number>();

const pages: Record<string, string> = {
  "80mm": "size: 80mm 110mm; margin: 4mm;",
  "58mm": "size: 58mm 110mm; margin: 3mm;",
  a4: "size: A4; margin: 20mm;",
  letter: "size: letter; margin: 20mm;",
};

/** A slip, as wide as the station's paper, as it stands on its paper and nowhere else. */
function Slip({ slip: s }: { slip: SlipOf }) {
  const bars = [...s.bars.matchAll(/1+/g)];
  return (
    <>
      <style>{`@page { ${pages[paper()] ?? pages["80mm"]} }`}</style>
      <p className="text-[11pt]">{s.where}</p>
      <p className="text-[30pt] leading-tight font-bold break-words">{s.name}</p>
      <p className="text-[14pt]">{s.note}</p>
      <p className="mt-3 text-[12pt] font-bold">{s.title}</p>
      <p className="text-[10pt]">{s.author}</p>
      <svg
        role="img"
        aria-label={s.barcode}
        viewBox={`0 0 ${s.bars.length} 24`}
        preserveAspectRatio="none"
        className="mt-2 h-[14mm] w-full"
      >
        {bars.map((b) => (
          <rect key={b.index} x={b.index} y={0} width={b[0].length} height={24} fill="#000" />
        ))}
      </svg>
      <p className="text-center font-mono text-[11pt]">{s.barcode}</p>
      <p className="mt-2 text-[8pt]">{s.foot}</p>
    </>
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

/** Puts the slip of a hold on the printer. */
async function printSlip(hold: number) {
  const slip = await told(api.GET("/api/holds/{id}/slip", { params: { path: { id: hold } } }));
  onPaper(<Slip slip={slip} />);
}

/** Prints the slip of a hold; by itself where the station is set so. */
export function PrintSlip({ hold, byItself }: { hold: number; byItself?: boolean }) {
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const now = () => {
    setBusy(true);
    setError(undefined);
    void printSlip(hold)
      .catch(setError)
      .finally(() => setBusy(false));
  };
  useEffect(() => {
    if (!byItself || !slipsPrint() || printed.has(hold)) return;
    printed.add(hold);
    void printSlip(hold).catch(setError);
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
