import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Button, Card, Code, Quiet } from "../../ui/parts";
import { FoundList } from "../../circulation/found";
import { closeFound, desk, openCard } from "./session";

/** Patrons that were found by words, above the tape until one is chosen or the list is closed. */
export function Found({
  found,
  onOpen,
}: {
  found: { words: string; rows: Schema["PeopleFound"][]; more: string; copies: Schema["DeskCopy"][] };
  onOpen: (f: Schema["PeopleFound"]) => void;
}) {
  const [loading, setLoading] = useState(false);
  const more = async () => {
    setLoading(true);
    const query = { words: found.words, after: found.more };
    const part = await told(api.GET("/api/patrons", { params: { query } })).catch(() => undefined);
    setLoading(false);
    if (part) desk.setState({ found: { ...found, rows: [...found.rows, ...part.rows], more: part.next } });
  };
  return (
    <Card label="Patrons found" className="max-h-[45vh] overflow-auto">
      <p className="flex items-baseline justify-between gap-3 border-b border-line px-4 py-2">
        <span>
          {found.copies.length > 0 && `${found.copies.length} here, `}
          {found.rows.length}
          {found.more && "+"} {found.copies.length > 0 && "people "}found for “{found.words}”
        </span>
        <Quiet onClick={closeFound}>Close</Quiet>
      </p>
      {found.copies.length > 0 && <Copies copies={found.copies} />}
      <FoundList found={found.rows} onOpen={onOpen} />
      {found.more && (
        <p className="border-t border-line px-4 py-2 text-sm">
          There are more.{" "}
          <Quiet disabled={loading} onClick={() => void more()}>
            Show more
          </Quiet>
        </p>
      )}
    </Card>
  );
}

/** Copies here whose title was typed, since their label cannot be read: one is lent as if it had been scanned. */
function Copies({ copies }: { copies: Schema["DeskCopy"][] }) {
  return (
    <ul aria-label="Copies here" className="divide-y divide-line border-b border-line">
      {copies.map((c) => (
        <li key={c.barcode} className="flex items-center gap-3 px-4 py-2">
          <span className="min-w-0 flex-1">
            <b className="font-semibold">{c.title}</b>
            {c.author && <span className="text-ink-2">, {c.author}</span>}
            <span className="block text-sm text-ink-2">
              <Code>{c.barcode}</Code> {c.call_number}
            </span>
          </span>
          <Button
            plain
            onClick={() => {
              closeFound();
              openCard(c.barcode);
            }}
          >
            Select
          </Button>
        </li>
      ))}
    </ul>
  );
}
