import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Card, Quiet } from "../../kit/parts";
import { FoundList } from "../../kit/found";
import { closeFound, desk } from "./session";

/** Patrons that were found by words, above the tape until one is chosen or the list is closed. */
export function Found({
  found,
  onOpen,
}: {
  found: { words: string; rows: Schema["PeopleFound"][]; more: string };
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
          {found.rows.length}
          {found.more && "+"} found for “{found.words}”
        </span>
        <Quiet onClick={closeFound}>Close</Quiet>
      </p>
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
