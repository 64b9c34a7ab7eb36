import { useId, useState } from "react";
import { sayCount } from "../../ui/say";
import type { Schema } from "../../api/client";
import { base64 } from "../../ui/bytes";
import { inputLook, Quiet, Tag } from "../../ui/parts";

export type Sheet = Schema["RostersSheet"];

const most = 700_000; // of all lists at once: a request is no longer than a megabyte

/** Lists: pasted, and from any number of files. */
export function useSheets() {
  const [pasted, setPasted] = useState("");
  const [files, setFiles] = useState<{ name: string; bytes: Uint8Array }[]>([]);
  const size = pasted.length + files.reduce((sum, f) => sum + f.bytes.length, 0);
  const lists: Sheet[] = [
    ...(pasted.trim() ? [{ name: "", content: base64(new TextEncoder().encode(pasted)) }] : []),
    ...files.map((f) => ({ name: f.name, content: base64(f.bytes) })),
  ];
  const clear = () => {
    setPasted("");
    setFiles([]);
  };
  return { pasted, setPasted, files, setFiles, lists, clear, tooLong: size > most };
}

/** Where lists are pasted and files are chosen. */
export function SheetFields({ of, says }: { of: ReturnType<typeof useSheets>; says: string }) {
  const paste = useId();
  const choose = useId();
  return (
    <div className="grid gap-2.5 sm:grid-cols-2">
      <div className="grid content-start gap-1 text-sm text-ink-2">
        <label htmlFor={paste}>Paste a list, one person per line {says}</label>
        <textarea
          id={paste}
          rows={7}
          value={of.pasted}
          onChange={(e) => of.setPasted(e.target.value)}
          className={`${inputLook} h-auto py-1 font-mono`}
        />
      </div>
      <div className="grid content-start gap-1 text-sm text-ink-2">
        <label htmlFor={choose}>Or choose CSV files</label>
        <input
          id={choose}
          type="file"
          multiple
          className="file:mr-2 file:cursor-pointer file:rounded-card file:border file:border-edge file:bg-field file:px-2.5 file:py-1 file:text-ink"
          accept=".csv,.txt,.tsv,text/csv,text/plain"
          onChange={(e) => {
            const chosen = [...(e.target.files ?? [])];
            e.target.value = "";
            void Promise.all(
              chosen.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) })),
            ).then((read) =>
              of.setFiles((before) => [...before.filter((b) => !read.some((r) => r.name === b.name)), ...read]),
            );
          }}
        />
        <ul>
          {of.files.map((f) => (
            <li key={f.name} className="flex gap-2">
              {f.name}{" "}
              <Quiet
                aria-label={`Remove ${f.name}`}
                onClick={() => of.setFiles((before) => before.filter((b) => b.name !== f.name))}
              >
                remove
              </Quiet>
            </li>
          ))}
        </ul>
      </div>
      {of.tooLong && (
        <p role="alert" className="text-buoy-700 sm:col-span-2">
          These lists are larger than {most / 1000} kB in total. Import them in parts.
        </p>
      )}
    </div>
  );
}

/** Lines that name nobody, with the number by which they are found in the file. */
export function OddLines({ rows, all }: { rows: Schema["RosterOdd"][]; all: number }) {
  if (all === 0) return <p>Every line matches a patron.</p>;
  return (
    <div>
      <p>
        <Tag tone="amber">{sayCount(all, "line with a problem", "lines with problems")}</Tag> These lines add nobody:
      </p>
      <ul className="mt-1 max-h-60 overflow-auto text-sm">
        {rows.map((o) => (
          <li key={`${o.list} ${o.line}`}>
            {o.list && `${o.list}, `}line {o.line}: <b className="font-mono font-semibold">{o.text || "empty"}</b>.{" "}
            {o.says}
          </li>
        ))}
      </ul>
      {all > rows.length && <p className="text-sm text-ink-2">The first {rows.length} of them are shown.</p>}
    </div>
  );
}
