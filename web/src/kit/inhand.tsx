import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, newKey, Problem, surely, type Schema } from "../api/client";
import { Trouble } from "./parts";
import { useScanPlace } from "./scan";
import { SignPanel, SignTag } from "./sign";
import { play } from "./sound";
import { Why } from "./why";

/** Takes scans of items in hand that are not on loan, and shows the sign and the last few. */
export function InHand({ prompt }: { prompt: string }) {
  const queries = useQueryClient();
  const [tape, setTape] = useState<Schema["HoldsTaken"][]>([]);
  const [error, setError] = useState<unknown>();
  const line = useRef(Promise.resolve());
  useScanPlace({
    prompt,
    onScan: (text) => {
      const key = newKey();
      line.current = line.current.then(async () => {
        try {
          const taken = await surely(() => api.POST("/api/in-hand", { params: { header: key }, body: { text } }));
          setTape((t) => [taken, ...t].slice(0, 30));
          setError(undefined);
          play(taken.ok ? "done" : "wrong");
          void queries.invalidateQueries();
        } catch (e) {
          setError(new Problem(0, `${text}: ${(e as Problem).message}`));
          play("wrong");
        }
      });
    },
  });
  const newest = tape[0];
  return (
    <>
      <Trouble error={error} />
      {newest && (
        <div className="grid gap-1.5 print:hidden">
          <SignPanel sign={newest.sign} title={newest.title} code={newest.ok ? newest.barcode : undefined} />
          <ul className="grid gap-1 text-sm" aria-label="Scanned here">
            {tape.slice(0, 4).map((t, k) => (
              <li key={k} className="flex items-center gap-2">
                <SignTag sign={t.sign} /> <b className="font-semibold">{t.title}</b> <Why trace={t.why}>Why here</Why>
                {t.sign.hold_id && (
                  <a
                    href={`/api/slips/hold/${t.sign.hold_id}`}
                    target="_blank"
                    className="border-b border-dotted border-spruce-500 text-spruce-700"
                  >
                    Print slip
                  </a>
                )}
              </li>
            ))}
          </ul>
        </div>
      )}
    </>
  );
}
